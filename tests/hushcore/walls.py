"""A shot whose truth is known: a brick wall that moves under a light that goes up and down, with a red scratch on it, or
somebody who walks past."""

from functools import cache

import cv2
import numpy as np
import scipy.ndimage as ndi

from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Plan
from hushcore.recipe.build import with_base

WIDTH, HEIGHT, COUNT, ANCHOR = 360, 240, 15, 7
STEP = np.array([3.0, -1.0])  # px a frame
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
SCRATCH = np.array([[150, 150], [210, 96]], float)


def shift(frame: int) -> np.ndarray:
    return (frame - ANCHOR) * STEP


def level(frame: int) -> float:
    return float(1 + 0.15 * np.sin(frame / 2.5))


def walker(frame: int) -> tuple[float, float]:
    """The middle of somebody who passes from right to left."""
    return 300 - 16 * frame, 130.0


class Wall:
    """The shot; ``scratched`` or with ``somebody``; ``truth`` without either and without grain."""

    def __init__(self, texture: np.ndarray, scratched: bool = False, somebody: bool = False) -> None:
        self.texture, self.scratched, self.somebody = texture, scratched, somebody
        self.read = cache(self.read)  # as from a disk: making a frame takes longer than most of what is done with it

    def surface(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        grey = ndi.map_coordinates(self.texture[40:460, 40:500], [y + 60, x + 60], order=1, mode="reflect")
        return (0.1 + 0.35 * grey[..., None] * np.float32([1.0, 0.9, 0.8])).astype(np.float32)

    def truth(self, frame: int) -> np.ndarray:
        dx, dy = shift(frame)
        return self.surface(X - dx, Y - dy) * np.float32(level(frame))

    def linear(self, frame: int) -> np.ndarray:
        made = self.truth(frame)
        dx, dy = shift(frame)
        if self.scratched:
            line = np.zeros((HEIGHT, WIDTH), np.uint8)
            ends = np.rint((SCRATCH + np.array([dx, dy])) * 16).astype(np.int32)
            cv2.line(line, tuple(map(int, ends[0])), tuple(map(int, ends[1])), 255, 5, cv2.LINE_AA, 4)
            made = made * (1 - line[..., None] / 255.0 * np.float32([0.1, 0.7, 0.7]))
        if self.somebody:
            x, y = walker(frame)
            inside = ((np.abs(X - x) < 16) & (np.abs(Y - y) < 46))[..., None]
            made = np.where(inside, np.float32([0.05, 0.06, 0.1]), made)
        return made

    def read(self, frame: int) -> np.ndarray:
        noise = np.random.default_rng(frame).normal(0, 0.004, (HEIGHT, WIDTH, 3))
        return SRGB.encode(SRGB.from_tonal((SRGB.tonal_of(self.linear(frame)) + noise).astype(np.float32)), np.uint16)


def held_truly() -> Hold:
    """The hold as the wall moves."""

    def at(frame: int) -> HoldFrame:
        dx, dy = shift(frame)
        matrix = np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]])
        return HoldFrame(matrix, np.full((16, 23), 0.1, np.float32), 0.1, 1.0, False)

    frames = {n: at(n) for n in range(COUNT) if n != ANCHOR}
    return Hold("planar", ANCHOR, (WIDTH, HEIGHT), None, (0, 0), frames)


def fix_of(wall: Wall, hold: Hold, plan: Plan, donor: Hold | None = None, plates=()):
    based = with_base(plan, hold, list(plates), wall.read, SRGB, donor)
    evidence = gather(wall.read, hold, plan.edge, SRGB, plan, based)
    return make_fix(hold, plan, based, evidence, None, wall.read, 0, donor)


def apart(wall: Wall, fix, frame: int, low: float = 2.0) -> tuple[float, float]:
    """Mean tonal error where the patch is full, low-passed: with the patch, and of the frame as shot. Outside the matte
    nothing has changed."""
    codes = wall.read(frame)
    laid = lay(codes, frame, fix)
    outside = np.ones((HEIGHT, WIDTH), bool)
    outside[laid.rect.slices] = laid.matte <= 1 / 4096
    assert np.array_equal(laid.codes[outside], codes[outside])
    clean = SRGB.tonal_of(wall.truth(frame))
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[laid.rect.slices] = laid.matte > 0.99
    return tuple(
        float(cv2.GaussianBlur(np.abs(SRGB.tonal(side) - clean).astype(np.float32), (0, 0), low)[inside].mean())
        for side in (laid.codes, codes)
    )


def walker_box(frame: int) -> np.ndarray:
    x, y = walker(frame)
    return np.array([[x - 24, y - 54], [x + 24, y - 54], [x + 24, y + 54], [x - 24, y + 54]])


ROUGH = Edge((Outline(tuple((frame, Nodes.of(walker_box(frame))) for frame in range(0, COUNT, 2))),), 0, 6)


LINE = Edge((Outline(((0, Nodes.of(SCRATCH)),), width=12.0),), 0, 4)


def recipe(at: tuple[float, float] = (180.0, 123.0), half: float = 40.0, **source) -> dict:
    (x, y), h = at, half
    square = [[x - h, y - h], [x + h, y - h], [x + h, y + h], [x - h, y + h]]
    return {"hold": "hold.json", "edge": {"polygon": square, "growth": 0, "softness": 4}, **source}
