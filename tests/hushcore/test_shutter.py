"""Motion blur: the share of a frame that the shutter is open, and plates that are smeared themselves."""

from dataclasses import replace
from functools import cache

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.evidence import gather, observed
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.motion import blur_between, usual
from hushcore.patch.plan import SHUTTER, Match, Plan
from hushcore.plates.plate import make_plate

WIDTH, HEIGHT, COUNT, ANCHOR, STEP = 360, 220, 9, 4, 8.0
MARK = Edge.of(np.array([[150, 90], [200, 90], [200, 130], [150, 130]], float), 0, 4)


def waits(frame: int) -> float:
    """Px gone by: it stands about the anchor frame, and moves STEP px a frame before and after."""
    beyond = abs(frame - ANCHOR) - 1
    return float(np.sign(frame - ANCHOR) * STEP * max(0, beyond))


def shakes(frame: int) -> float:
    """Px gone by: to and fro, fastest on the anchor frame."""
    return 14 * np.sin((frame - ANCHOR) * 1.1)


class Passing:
    """A texture that has gone ``by`` so many px on a frame, smeared by a ``shutter`` and ``softened`` by so many px (sigma) on
    all but the anchor frame, as a codec does to what moves; ``marked``: with a white square on it."""

    def __init__(
        self, texture: np.ndarray, shutter: float, softened: float = 0.0, by=waits, marked: bool = False
    ) -> None:
        self.texture, self.shutter, self.softened, self.by = texture.copy(), shutter, softened, by
        if marked:
            self.texture[156:184, 226:264] = 1
        self.read = cache(self.read)

    def speed(self, frame: int) -> float:
        return (self.by(frame + 1) - self.by(frame - 1)) / 2

    def tonal(self, frame: int) -> np.ndarray:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
        steps = np.linspace(-0.5, 0.5, 13) * self.shutter * self.speed(frame)
        made = np.mean([
            ndi.map_coordinates(self.texture, [y + 60, x + 70 - self.by(frame) + step], order=1, mode="reflect")
            for step in steps
        ], 0)  # fmt: skip
        return cv2.GaussianBlur(made, (0, 0), self.softened) if self.softened and frame != ANCHOR else made

    def read(self, frame: int) -> np.ndarray:
        noise = np.random.default_rng(frame).normal(0, 0.004, (HEIGHT, WIDTH, 3))
        tonal = (0.25 + 0.5 * self.tonal(frame))[..., None] + noise
        return SRGB.encode(SRGB.from_tonal(tonal.astype(np.float32)), np.uint16)

    def hold(self, drift: float = 0.1) -> Hold:
        def at(frame: int) -> HoldFrame:
            matrix = np.array([[1, 0, self.by(frame)], [0, 1, 0], [0, 0, 1.0]])
            return HoldFrame(matrix, np.full((14, 23), drift, np.float32), drift, 1.0, False)

        return Hold("planar", ANCHOR, (WIDTH, HEIGHT), None, (0, 0), {n: at(n) for n in range(COUNT) if n != ANCHOR})


def shutter_of(shot: Passing, drift: float = 0.1) -> float:
    return observed(shot.read, shot.hold(drift), MARK, SRGB).shutter


@pytest.mark.parametrize("share", [0.3, 0.5, 0.75])
def test_a_shutter_is_read_from_how_what_moves_is_smeared(texture, share):
    assert shutter_of(Passing(texture, share)) == pytest.approx(share, abs=0.12)


def test_softness_is_not_taken_for_an_open_shutter(texture):
    """It asks for any blur, the more the better: half a frame, as is common practice, is used."""
    assert shutter_of(Passing(texture, 0.4, 3.0)) == SHUTTER


def test_more_than_half_a_frame_is_not_believed_of_a_hold_that_may_be_off(texture):
    """A hold that misses by a little asks for more blur: .88 for a true .5 on the demo's arm."""
    assert shutter_of(Passing(texture, 0.75), drift=0.8) == SHUTTER


def moving(*vectors: tuple[float, float]) -> Hold:
    """A plane that goes by the first vector (px a frame) about frame 0, by the second about frame 10."""
    frames = {}
    for at, (x, y) in zip((0, 10), vectors, strict=True):
        for n in (-1, 0, 1):
            matrix = np.array([[1, 0, n * x], [0, 1, n * y], [0, 0, 1.0]])
            frames[at + n] = HoldFrame(matrix, np.full((14, 23), 0.1, np.float32), 0.1, 1.0, False)
    return Hold("planar", 0, (WIDTH, HEIGHT), None, (0, 0), frames)


@pytest.mark.parametrize(
    ("plate", "frame", "on_plate", "on_frame"),
    [
        ((0, 0), (0, 0), 0, 0),
        ((0, 0), (10, 0), 10, 0),  # a plate that stands still is smeared as the frame is
        ((6, 0), (10, 0), 8, 0),  # variances of blurs add: 6 and 8 px make 10
        ((10, 0), (6, 0), 0, 8),
        ((6, 8), (6, 8), 0, 0),
        ((6, 8), (-6, -8), 0, 0),  # there or back is the same to a shutter
        ((0, 7), (9, 0), 9, 7),  # each has what the other has not
    ],
)
def test_a_plate_is_smeared_by_what_the_frame_has_beyond_it(plate, frame, on_plate, on_frame):
    hold, rect = moving(plate, frame), Rect(40, 40, 120, 100)
    blur = blur_between(hold, 10, hold.at(10), 0, rect, 1.0)
    for found, length in ((blur.plate, on_plate), (blur.frame, on_frame)):
        assert (0 if found is None else usual(found)) == pytest.approx(length, abs=1e-3)


def test_a_mark_goes_from_a_shot_whose_every_frame_is_smeared(texture):
    """The plate itself is smeared by 7 px: smeared again, it left the mark's ghost on its own frame and on all that move so."""
    shot, clean = Passing(texture, 0.5, by=shakes, marked=True), Passing(texture, 0.5, by=shakes)
    hold = shot.hold()
    plates = [(ANCHOR, make_plate(shot.read(ANCHOR), hold, ANCHOR, [], clean.read(ANCHOR), SRGB))]
    plan = Plan(MARK, Match(grain="off"))
    evidence = replace(gather(shot.read, hold, MARK, SRGB, plan, plates), shutter=0.5)
    fix = make_fix(hold, plan, plates, evidence)

    def off(frame: int, codes: np.ndarray) -> float:
        """Mean difference from the clean frame where the mark was, of 255."""
        x = round(shakes(frame))
        apart = np.abs(codes.astype(float) - clean.read(frame)) / 257
        return float(cv2.GaussianBlur(apart.mean(-1), (0, 0), 2)[94:126, 154 + x : 196 + x].mean())

    for frame, most in ((ANCHOR, 1.0), (1, 1.2), (7, 1.2), (5, 3.0)):  # 5 is sharp: its detail is not in the plate
        assert off(frame, lay(shot.read(frame), frame, fix).codes) < most < off(frame, shot.read(frame)) / 15
