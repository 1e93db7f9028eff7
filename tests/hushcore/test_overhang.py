"""A coloured mark that is seen beside its patch, on frames whose hold is off and says that it may be.

Known truth: ``walls``; the hold is put off by so many px.
"""

from dataclasses import replace

import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.errors import HushError
from hushcore.patch.fix import make_fix, unsure
from hushcore.patch.lay import lay
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.plates.plate import Plate
from tests.hushcore.walls import ANCHOR, HEIGHT, WIDTH, Wall, X, Y, held_truly, shift

MIDDLE, SIDE, OFF, FRAME = (180.0, 120.0), 24.0, 9.0, 9
RED, GREY = np.float32([1.0, 0.25, 0.25]), np.float32([0.3, 0.3, 0.3])
LOOP = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * (SIDE + 3) + MIDDLE


class Printed(Wall):
    """The wall with a square printed on it, and another of the same colour ``beside`` that is to stay."""

    def __init__(self, texture: np.ndarray, ink: np.ndarray, beside: bool = False) -> None:
        super().__init__(texture)
        self.ink, self.beside = ink, beside

    def kept(self, frame: int) -> np.ndarray:
        """Without the mark."""
        made = self.truth(frame)
        return self.inked(made, frame, MIDDLE[0] + 2.4 * SIDE) if self.beside else made

    def inked(self, made: np.ndarray, frame: int, middle: float) -> np.ndarray:
        dx, dy = shift(frame)
        inside = (np.abs(X - dx - middle) < SIDE) & (np.abs(Y - dy - MIDDLE[1]) < SIDE)
        return np.where(inside[..., None], made * self.ink, made)

    def linear(self, frame: int) -> np.ndarray:
        return self.inked(self.kept(frame), frame, MIDDLE[0])


def laid(wall: Printed, drift: float, match: Match = Match()):
    """The frame patched where its hold is off to the left, and the fix."""
    hold = held_truly()
    row = hold.frames[FRAME]
    params = row.params.copy()
    params[0, 2] -= OFF
    hold = replace(hold, frames={**hold.frames, FRAME: replace(row, params=params, drift_rms=drift)})
    linear, clean = (
        SRGB.decode(SRGB.encode(side.astype(np.float32), "uint16")) for side in (wall.linear(ANCHOR), wall.kept(ANCHOR))
    )
    plan = Plan(Edge((Outline(((0, Nodes.of(LOOP)),)),), 0, 4), match)
    plate = Plate(Rect(0, 0, WIDTH, HEIGHT), linear, clean)
    fix = make_fix(hold, plan, [(ANCHOR, plate)], Evidence(), None, wall.read, 0)
    return lay(wall.read(FRAME), FRAME, fix), fix


def left_of_it(wall: Printed, codes: np.ndarray) -> int:
    """Px on which the mark's own colour is still seen."""
    seen, clean, marked = (SRGB.tonal(codes), *(SRGB.tonal_of(side) for side in (wall.kept(FRAME), wall.linear(FRAME))))
    there = np.abs(marked - clean).max(-1) > 0.1
    return int((there & (np.linalg.norm(seen - marked, axis=-1) < np.linalg.norm(seen - clean, axis=-1))).sum())


def test_what_is_seen_beside_the_patch_is_covered(texture):
    wall = Printed(texture, RED)
    found, _ = laid(wall, drift=3.0)
    alone, _ = laid(wall, drift=3.0, match=Match(beside="off"))
    assert left_of_it(wall, alone.codes) > 200  # a strip of some px along its right side
    assert left_of_it(wall, found.codes) < 20


def test_the_frame_stays_as_it_was_outside_the_matte(texture):
    wall = Printed(texture, RED)
    found, _ = laid(wall, drift=3.0)
    outside = np.ones((HEIGHT, WIDTH), bool)
    outside[found.rect.slices] = found.matte <= 1 / 4096
    assert np.array_equal(found.codes[outside], wall.read(FRAME)[outside])


@pytest.mark.parametrize(("ink", "drift"), [(RED, 0.2), (GREY, 3.0)])
def test_nothing_is_added_where_the_hold_is_sure_or_the_mark_is_of_no_colour(texture, ink, drift):
    wall = Printed(texture, ink)
    found, fix = laid(wall, drift)
    assert not unsure(fix, FRAME)
    assert np.array_equal(found.codes, laid(wall, drift, Match(beside="off"))[0].codes)


def test_another_thing_of_its_colour_beside_it_stays(texture):
    wall = Printed(texture, RED, beside=True)
    found, _ = laid(wall, drift=3.0)
    dx, _ = shift(FRAME)
    other = np.abs(X[0] - dx - MIDDLE[0] - 2.4 * SIDE) < SIDE - 2
    assert np.array_equal(found.codes[:, other], wall.read(FRAME)[:, other])


def test_it_is_on_or_off(texture):
    with pytest.raises(HushError, match="auto or off"):
        Match(beside="maybe").check()
