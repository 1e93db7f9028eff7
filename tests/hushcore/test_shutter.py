"""The share of a frame that the shutter is open, read from a shot."""

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi

from hushcore.colour.encoding import SRGB
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold, HoldFrame
from hushcore.patch.evidence import gather
from hushcore.patch.plan import SHUTTER

WIDTH, HEIGHT, COUNT, ANCHOR, STEP = 360, 220, 9, 4, 8.0
MARK = Edge.of(np.array([[150, 90], [200, 90], [200, 130], [150, 130]], float), 0, 4)


class Passing:
    """A texture that goes by at STEP px a frame, smeared by a ``shutter``; all but the anchor frame ``softened`` by so many px
    (sigma), as a codec does to what moves."""

    def __init__(self, texture: np.ndarray, shutter: float, softened: float) -> None:
        self.texture, self.shutter, self.softened = texture, shutter, softened

    def read(self, frame: int) -> np.ndarray:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
        # the anchor frame is sharp
        steps = np.linspace(-0.5, 0.5, 13) * self.shutter * STEP if frame != ANCHOR else [0.0]
        made = np.mean([
            ndi.map_coordinates(self.texture, [y + 60, x + 70 - STEP * (frame - ANCHOR) + step], order=1, mode="reflect")
            for step in steps
        ], 0)  # fmt: skip
        if self.softened and frame != ANCHOR:
            made = cv2.GaussianBlur(made, (0, 0), self.softened)
        noise = np.random.default_rng(frame).normal(0, 0.004, (HEIGHT, WIDTH, 3))
        tonal = (0.25 + 0.5 * made)[..., None] + noise
        return SRGB.encode(SRGB.from_tonal(tonal.astype(np.float32)), np.uint16)


def shutter_of(shot: Passing) -> float:
    def at(frame: int) -> HoldFrame:
        matrix = np.array([[1, 0, STEP * (frame - ANCHOR)], [0, 1, 0], [0, 0, 1.0]])
        return HoldFrame(matrix, np.full((14, 23), 0.1, np.float32), 0.1, 1.0, False)

    hold = Hold("planar", ANCHOR, (WIDTH, HEIGHT), None, (0, 0), {n: at(n) for n in range(COUNT) if n != ANCHOR})
    return gather(shot.read, hold, MARK, SRGB).shutter


@pytest.mark.parametrize("share", [0.3, 0.5, 0.75])
def test_a_shutter_is_read_from_how_what_moves_is_smeared(texture, share):
    assert shutter_of(Passing(texture, share, 0.0)) == pytest.approx(share, abs=0.12)


def test_softness_is_not_taken_for_an_open_shutter(texture):
    """It asks for any blur, the more the better: half a frame, as is common practice, is used."""
    assert shutter_of(Passing(texture, 0.4, 3.0)) == SHUTTER
