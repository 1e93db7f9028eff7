"""The first retouch: the edge drawn in to the mark, healed from the best place beside, judged, or not proposed at all."""

import json
from types import SimpleNamespace

import cv2
import numpy as np
import pytest

from hushcore.arrays import Rect
from hushcore.colour.encoding import SRGB
from hushcore.errors import HushError
from hushcore.geometry.paths import area, signed_distance
from hushcore.hold.record import Hold
from hushcore.plates.mark import drawn_in
from hushcore.plates.plate import Plate
from hushcore.plates.propose import FILLED_BY, first_retouch, judged, propose
from hushcore.recipe.models import Recipe, load
from hushcore.retouch.strokes import Canvas, paint
from tests.hushcore.test_chain import ANCHOR, circle, clip, here  # noqa: F401

WHOLE = Rect(0, 0, 420, 360)
MIDDLE = np.array([210.0, 180.0])


def ring(radius: float, middle=MIDDLE) -> np.ndarray:
    turns = np.linspace(0, 2 * np.pi, 32, endpoint=False)
    return middle + radius * np.stack([np.cos(turns), np.sin(turns)], 1)


def surface(seed: int) -> np.ndarray:
    """Mottled linear light with a slope of tone and grain: as plaster or skin."""
    rng = np.random.default_rng(seed)
    mottle = sum(
        weight * cv2.GaussianBlur(rng.normal(0, 1, (360, 420)).astype(np.float32), (0, 0), sigma) * sigma
        for sigma, weight in ((1.2, 0.02), (4, 0.015), (24, 0.02))
    )
    slope = np.linspace(0.8, 1.2, 420)[None, :] * np.linspace(1.05, 0.95, 360)[:, None]
    tone = 0.25 * slope * (1 + mottle)
    return np.clip(tone[..., None] * [1.0, 0.8, 0.65], 0.01, 1).astype(np.float32)


def marked(seed: int, radius: float = 34) -> tuple[Plate, np.ndarray]:
    """A plate with a dark, reddish blot on it, and where the blot is."""
    clean = surface(seed)
    inside = signed_distance(ring(radius), WHOLE) > 0
    soft = cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 1.2)[..., None]
    picture = clean * (1 - soft * (1 - np.array([0.6, 0.4, 0.4], np.float32)))
    return Plate(WHOLE, picture, picture.copy(), SRGB), inside


@pytest.mark.parametrize("seed", range(4))
def test_the_edge_is_drawn_in_from_a_loose_loop_to_the_mark(seed):
    plate, inside = marked(seed)
    (outline,) = drawn_in(plate, ring(60))
    covered = signed_distance(outline, WHOLE) > 0
    assert (covered & inside).sum() > 0.98 * inside.sum()  # all of the mark
    assert covered.sum() < 1.6 * inside.sum()  # grown by 4 px, and not the loop, which is three times as large


def test_a_loop_round_nothing_stays_the_loop():
    plate = Plate(WHOLE, surface(1), surface(1), SRGB)
    loop = ring(50)
    (outline,) = drawn_in(plate, loop)
    assert (signed_distance(outline, WHOLE) <= signed_distance(loop, WHOLE) + 1.5).all()


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("without", [(), ("weave", "soak")])
def test_the_mark_goes_and_cannot_be_told(seed, without):
    """The truth is at hand here: nothing of the mark's contrast is left, and tone is the clean surface's at its scale."""
    plate, inside = marked(seed)
    found = propose(plate, ring(60), without=without)
    assert found is not None
    painted = found.picture
    if without:  # a heal is a stroke that an artist could have laid
        painted = plate.painted.copy()
        paint(Canvas(painted, plate.original, plate.rect, SRGB), found.strokes)
    wide = [cv2.GaussianBlur(side, (0, 0), 10) for side in (painted, surface(seed), plate.original)]
    left, was = (np.abs(side[inside] - wide[1][inside]).mean() for side in (wide[0], wide[2]))
    assert left < 0.1 * was
    far = signed_distance(ring(75), WHOLE) < 0
    assert (painted[far] == plate.original[far]).all()
    worth = judged(plate, painted, found.outlines[0])
    assert worth.good
    assert worth.cost < judged(plate, plate.original, found.outlines[0]).cost


def test_other_material_is_no_donor():
    """A mark on a narrow strip of one material: all that is clean beyond it is another one, however smooth."""
    plate, _ = marked(2, radius=30)
    picture = plate.original.copy()
    outside = np.abs(np.mgrid[0:360, 0:420][0] - 180) > 70
    picture[outside] = [0.1, 0.2, 0.4]
    found = propose(Plate(WHOLE, picture, picture.copy(), SRGB), ring(42), without=("weave", "soak"))
    assert found is not None
    assert abs(found.strokes[0].donor.offset[1]) < 40  # along the strip


def test_what_was_tried_is_not_proposed_again():
    plate, _ = marked(3)
    fills = ("weave", "soak")
    first = propose(plate, ring(60), without=fills)
    at = tuple(int(v) for v in first.strokes[0].donor.offset)
    second = propose(plate, ring(60), [at], without=fills)
    assert np.hypot(*np.subtract(second.strokes[0].donor.offset, at)) > 15


def test_a_fill_is_taken_only_where_it_is_judged_clearly_better():
    taken = []
    for seed in range(4):
        plate, _ = marked(seed)
        best, healed = propose(plate, ring(60)), propose(plate, ring(60), without=("weave", "soak"))
        taken.append(bool(best.fills))
        if best.fills:
            assert best.strokes == []
            assert best.worth.cost < healed.worth.cost - FILLED_BY
        else:
            assert best.words == healed.words
    assert any(taken)
    assert not all(taken)


def test_a_shred_at_the_loop_is_no_outline():
    """What differs lies nearly all outside the loop: no outline without an area comes of the rest."""
    plate, _ = marked(0, radius=20)
    for far in (21, 26, 31, 40, 51):
        for outline in drawn_in(plate, ring(30, MIDDLE + np.array([far, 0]))):
            assert len(outline) > 3
            assert area(outline) >= 20


def test_a_hold_that_is_lost_carries_no_proposal():
    hold = Hold("planar", 1, (420, 360), None, (0, 0))
    hold.frames = {n: SimpleNamespace(lost=n > 5) for n in range(2, 12)}
    with pytest.raises(HushError, match="lost on too many frames"):
        first_retouch(hold, lambda _: np.zeros((360, 420, 3), np.uint16), ring(60), SRGB)


def test_where_there_is_no_room_nothing_is_proposed():
    plate, _ = marked(1, radius=150)
    assert propose(plate, ring(165)) is None


def test_the_command_line_does_it_from_one_loop(clip, tmp_path, here):  # noqa: F811
    """A recipe and a hold from a loop; the recipe renders, and the crest's red is gone on a frame that was never seen."""
    shot = str(clip.folder / "apron.####.tif")
    few = tmp_path / "few"
    few.mkdir()
    for frame in range(ANCHOR - 2, ANCHOR + 3):
        (few / f"apron.{frame}.tif").symlink_to(clip.folder / f"apron.{frame}.tif")
    shot = str(few / "apron.####.tif")
    loop = {"frame": ANCHOR, "loop": circle(106)}
    (tmp_path / "loop.json").write_text(json.dumps(loop))
    said = here("propose", shot, "--loop", f"{tmp_path}/loop.json", "-o", f"{tmp_path}/recipe.json").out
    assert said.startswith("Proposed: ")
    recipe = load(tmp_path / "recipe.json", Recipe)
    assert recipe.fixes[0].plates[0].frame == ANCHOR
    seen = f"{ANCHOR + 2}-{ANCHOR + 2}"
    here("render", shot, "--recipe", f"{tmp_path}/recipe.json", "-o", f"{tmp_path}/out", "--range", seen)
    from hushcore.media.pictures import read_codes

    before, after = (read_codes(place / f"apron.{ANCHOR + 2}.tif").astype(float) for place in (few, tmp_path / "out"))
    spot = (slice(254, 354), slice(490, 600))
    red = [side[spot][..., 0] / side[spot][..., 1] for side in (before, after)]
    assert np.percentile(red[0], 90) - np.median(red[1]) > 4 * (np.percentile(red[1], 90) - np.median(red[1]))


def test_a_loop_outside_the_picture_is_said(clip, tmp_path, here):  # noqa: F811
    (tmp_path / "loop.json").write_text(json.dumps({"frame": ANCHOR, "loop": [[-50, 10], [100, 10], [100, 90]]}))
    shot = str(clip.folder / "apron.####.tif")
    told = here("propose", shot, "--loop", f"{tmp_path}/loop.json", "-o", f"{tmp_path}/r.json", code=1)
    assert "leaves the picture" in told.err
    assert not (tmp_path / "r.json").exists()
