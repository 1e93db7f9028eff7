"""A see-through mark that stands in the frame, read from the frames alone and taken off each one's own picture."""

import json
from dataclasses import replace

import cv2
import numpy as np
import pytest
import scipy.ndimage as ndi
import scipy.sparse as sparse
from click.testing import CliRunner
from scipy.sparse.linalg import spsolve

from hushcore.cli.main import cli
from hushcore.colour.difference import ciede2000, linear_to_lab
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.errors import HushError
from hushcore.hold.in_frame import held_in_frame
from hushcore.media.pictures import read_codes, write_codes
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.overlaid import BESIDE, is_impossible, is_stuck, overlay_of
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.patch.stained import stain_of
from hushcore.patch.standing import shape_of, standing_in
from hushcore.patch.veil import STAIN, Veil
from hushcore.recipe.models import HoldData
from hushcore.tells.behind import from_itself
from tests.hushcore.test_veil import LOGO, Overlaid
from tests.hushcore.walls import ANCHOR, COUNT, HEIGHT, WIDTH, X, Y

FRAMES = range(COUNT)
EDGE = Edge.of(LOGO, 0, 4)
SHARE = 0.35  # of the picture passes
SIZE = (WIDTH, HEIGHT)


class Stamped(Overlaid):
    """The wall under a ring with a bar, which fades in over the first ``fades`` frames; ``ink``: its tone."""

    def __init__(
        self, texture: np.ndarray, ink: float = 0.9, fades: int = 0, share: float = SHARE, **more: bool
    ) -> None:
        super().__init__(texture, **more)
        self.ink, self.fades, self.share = ink, fades, share
        ring, bar = np.abs(np.hypot(X - 190, Y - 120) - 17) < 4, (np.abs(Y - 120) < 3) & (np.abs(X - 190) < 17)
        self.shape = ndi.gaussian_filter((ring | bar).astype(np.float32), 0.7)[..., None]

    def strength(self, frame: int) -> float:
        return min(1.0, frame / self.fades) if self.fades else 1.0

    def overlaid(self, linear: np.ndarray, frame: int) -> np.ndarray:
        taken = (1 - self.share) * self.strength(frame) * self.shape
        return SRGB.tonal_of(linear) * (1 - taken) + self.ink * taken


def veil_of(wall: Overlaid, edge: Edge = EDGE):
    return overlay_of(wall.read, FRAMES, edge, SIZE, SRGB)


def off(wall: Overlaid, frame: int, codes: np.ndarray) -> float:
    """Mean CIEDE2000 to the truth, over all that the mark touches."""
    on = wall.shape[..., 0] > 0.02
    truth = SRGB.encode(wall.linear(frame), np.uint16)
    lab = [linear_to_lab(SRGB.decode(side)[on].astype(float)) for side in (codes, truth)]
    return float(ciede2000(*lab).mean())


def noisy(wall: Overlaid, frame: int) -> np.ndarray:
    tonal = SRGB.tonal_of(wall.linear(frame)) + wall.noise(frame)
    return SRGB.encode(SRGB.from_tonal(tonal.astype(np.float32)), np.uint16)


@pytest.mark.parametrize("ink", [0.9, 0.03, 0.45])
def test_each_frame_s_own_picture_comes_back_without_plate_or_hold(texture, ink):
    wall = Stamped(texture, ink)
    fix = from_itself(held_in_frame(FRAMES, ANCHOR, SIZE), wall.read, EDGE, SRGB)
    assert fix is not None
    assert fix.evidence.veil.share == pytest.approx(SHARE, abs=0.03)
    for frame in (0, 7, 14):
        codes = wall.read(frame)
        laid = lay(codes, frame, fix)
        floor = off(wall, frame, noisy(wall, frame))
        now = off(wall, frame, laid.codes)
        assert now < floor + 0.6  # its grain lay over the mark: more of it is under it than beside it
        assert off(wall, frame, codes) > (2 if ink == 0.45 else 10) * now  # one tone is nearly the wall's own
        outside = np.ones((HEIGHT, WIDTH), bool)
        outside[laid.rect.slices] = laid.matte == 0
        assert np.array_equal(laid.codes[outside], codes[outside])


def test_who_passes_under_it_is_seen_though_no_plate_knows_them(texture):
    wall = Stamped(texture, somebody=True)
    fix = from_itself(held_in_frame(FRAMES, ANCHOR, SIZE), wall.read, EDGE, SRGB)
    assert fix is not None
    passing = next(n for n in FRAMES if abs(300 - 16 * n - 190) < 9)
    assert off(wall, passing, lay(wall.read(passing), passing, fix).codes) < 0.3 * off(
        wall, passing, wall.read(passing)
    )


def test_where_it_fades_in_as_much_is_taken_off_as_is_there(texture):
    wall = Stamped(texture, fades=4)
    veil = veil_of(wall)
    assert veil is not None
    for frame in (0, 1, 2, 9):
        tonal = SRGB.tonal(wall.read(frame))[veil.rect.slices]
        assert veil.strength(tonal) == pytest.approx(wall.strength(frame), abs=0.08)
    fix = from_itself(held_in_frame(FRAMES, ANCHOR, SIZE), wall.read, EDGE, SRGB)
    assert fix is not None
    first = lay(wall.read(0), 0, fix)
    assert np.array_equal(first.codes, wall.read(0))  # it is not there yet
    assert off(wall, 2, lay(wall.read(2), 2, fix).codes) < 0.3 * off(wall, 2, wall.read(2))


def test_on_a_frame_without_it_nothing_is_taken_off_whatever_the_picture_has_there(texture):
    """A picture that has by chance an outline as the mark's own, of either sign, is not taken for the mark."""
    wall = Stamped(texture)
    veil = veil_of(wall)
    assert veil is not None
    for add in (-0.02, 0.02):
        bare = SRGB.tonal_of(wall.linear(3)) + add * wall.shape
        assert veil.strength(bare[veil.rect.slices].astype(np.float32)) < 0.12


def test_over_float_footage_it_is_read_as_laid_over_light(texture):
    wall, linear = Stamped(texture), Encoding("linear", 32)
    taken = (1 - SHARE) * wall.shape

    def read(frame: int) -> np.ndarray:
        return (wall.linear(frame) * (1 - taken) + 0.7 * taken).astype(np.float32)

    veil = overlay_of(read, FRAMES, EDGE, SIZE, linear)
    assert veil is not None
    assert veil.linear
    assert veil.share == pytest.approx(SHARE, abs=0.02)


def test_nothing_is_taken_off_where_it_cannot_be_told(texture):
    assert veil_of(Stamped(texture, share=0.03)) is None  # nothing passes
    assert veil_of(Stamped(texture, share=1.0)) is None  # nothing is there
    wall = Stamped(texture)
    assert overlay_of(lambda _: wall.read(3), FRAMES, EDGE, SIZE, SRGB) is None  # the picture stands as the mark does
    assert overlay_of(wall.read, range(5), EDGE, SIZE, SRGB) is None  # too few frames to tell them apart
    half = Edge.of(LOGO - np.array([30.0, 0.0]), 0, 4)  # half of the mark is beyond the edge
    assert from_itself(held_in_frame(FRAMES, ANCHOR, SIZE), wall.read, half, SRGB) is None


def test_the_usual_slopes_are_put_together_as_by_solving_poisson_s_equation():
    """Against a direct sparse solution (scipy.sparse) of the same equation: the picture that stands has those slopes."""
    rng = np.random.default_rng(3)
    tall, wide = 17, 23
    frames = rng.uniform(0, 1, (9, tall, wide, 3)).astype(np.float32)
    inside = np.zeros((tall, wide), bool)
    inside[5:12, 6:16] = True
    where = ndi.binary_dilation(inside, np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]]))
    along, down = np.zeros((2, tall, wide, 3))
    along[:, :-1], down[:-1] = np.median(np.diff(frames, axis=2), 0), np.median(np.diff(frames, axis=1), 0)
    along[~where], down[~where] = 0, 0
    bent = along + down
    bent[:, 1:] -= along[:, :-1]
    bent[1:] -= down[:-1]
    steps = [sparse.diags([1.0, -2.0, 1.0], [-1, 0, 1], shape=(n, n)) for n in (tall, wide)]
    whole = sparse.kron(steps[0], sparse.eye(wide)) + sparse.kron(sparse.eye(tall), steps[1])
    solved = spsolve(whole.tocsc(), bent.reshape(-1, 3)).reshape(tall, wide, 3)
    assert standing_in(frames, inside) == pytest.approx(np.sqrt((solved**2).mean(-1)), abs=1e-5)


def test_where_it_stands_is_found_to_its_soft_borders(texture):
    wall = Stamped(texture)
    rect = EDGE.rect().grown(BESIDE)
    frames = np.stack([SRGB.tonal(wall.read(n))[rect.slices] for n in FRAMES])
    shape = shape_of(frames, EDGE.matte(rect) > 0)
    true = wall.shape[..., 0][rect.slices]
    assert shape is not None
    assert shape.cover[true > 0.05].mean() > 0.98
    assert shape.cover.sum() < 2.2 * (true > 0.05).sum()
    assert (true[shape.core] > 0.7).mean() > 0.95


def test_what_cannot_be_unveiled_says_so():
    for plan in (Plan(EDGE, Match(), "unveil"), Plan(keyed(), Match(), "unveil", stands=True)):
        with pytest.raises(HushError, match="stands") as told:
            plan.check()
        assert told.value.kind == "not-standing"


def keyed() -> Edge:
    first, last = (Nodes.of(LOGO + np.array([by, 0.0])) for by in (0, 9))
    return replace(EDGE, outlines=(Outline(((0, first), (9, last))),))


def test_the_command_line_proposes_it_and_lays_it_without_tracking(texture, tmp_path):
    wall = Stamped(texture)
    for n in FRAMES:
        write_codes(tmp_path / "clip" / f"clip.{n:04d}.tif", wall.read(n))
    loop = tmp_path / "loop.json"
    loop.write_text(json.dumps({"frame": 4, "loop": LOGO.tolist()}))
    clip, made = str(tmp_path / "clip"), str(tmp_path / "made.json")
    run = CliRunner().invoke(cli, ["propose", clip, "--loop", str(loop), "--encoding", "srgb", "-o", made])
    assert run.exit_code == 0, run.output
    assert "taken off each frame's own picture, 3" in run.output
    held = HoldData.model_validate_json((tmp_path / "made.hold.json").read_text())
    assert (held.kind, len(held.frames)) == ("frame", COUNT - 1)
    out = str(tmp_path / "out")
    run = CliRunner().invoke(cli, ["render", clip, "--recipe", made, "--encoding", "srgb", "-o", out])
    assert run.exit_code == 0, run.output
    codes = read_codes(sorted((tmp_path / "out").glob("*.tif"))[5])
    assert off(wall, 5, codes) < 0.25 * off(wall, 5, wall.read(5))


class Under(Stamped):
    """The same with its grain under the mark, as a finished film has it."""

    def read(self, frame: int) -> np.ndarray:
        grained = SRGB.from_tonal((SRGB.tonal_of(self.linear(frame)) + self.noise(frame)).astype(np.float32))
        return SRGB.encode(SRGB.from_tonal(self.overlaid(grained, frame).astype(np.float32)), np.uint16)


class Coded(Under):
    """The same, coded by JPEG with colour at half the size (libjpeg's 4:2:0), after the mark was laid on."""

    def read(self, frame: int) -> np.ndarray:
        eight = np.clip(SRGB.tonal(super().read(frame)) * 255, 0, 255).round().astype(np.uint8)
        _, data = cv2.imencode(".jpg", eight[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 30])
        return cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1].astype(np.uint16) * 257


def test_on_coded_footage_what_comes_back_is_trusted_as_far_as_it_can_be(texture):
    wall = Coded(texture, ink=0.03, somebody=True)
    veil = veil_of(wall)
    assert veil is not None
    assert veil.trust is not None
    assert veil_of(Under(texture, ink=0.03, somebody=True)).trust is None  # nothing is coded there
    again = type(veil).of(json.loads(json.dumps(veil.plain())))
    figures = []
    for one in (replace(veil, trust=None), veil, again):
        plan = Plan(EDGE, Match(), "unveil", stands=True)
        fix = make_fix(
            held_in_frame(FRAMES, ANCHOR, SIZE), plan, (), Evidence(veil=one), None, wall.read, 0, encoding=SRGB
        )
        figures.append([off(wall, frame, lay(wall.read(frame), frame, fix).codes) for frame in FRAMES])
    plain, trusted, kept = map(np.array, figures)
    assert trusted.mean() < 0.9 * plain.mean()
    assert kept == pytest.approx(trusted, abs=0.1)  # as it is stored


def test_thin_lines_that_stay_where_all_else_moves_are_seen():
    rng = np.random.default_rng(2)
    wide = ndi.gaussian_filter(rng.normal(0, 1, (120, 400)), 1.2)
    moving = np.stack([0.4 + 0.05 * wide[:, 4 * k : 4 * k + 200] for k in range(24)])[..., None] * np.ones(3)
    cover = np.zeros((120, 200), bool)
    cover[40:80, 60:140] = True
    assert not is_stuck(moving.astype(np.float32), cover)
    line = moving.copy()
    line[:, 45:75, 100] += 0.05
    assert is_stuck(line.astype(np.float32), cover)


def test_a_veil_darker_than_black_is_none(texture):
    veil = veil_of(Stamped(texture))
    assert veil is not None
    assert not is_impossible(veil)
    learned = veil.tone.copy()
    learned[(veil.passes < 1) & (np.arange(veil.passes.shape[1]) % 8 == 0)] -= 1  # an eighth of it
    assert is_impossible(replace(veil, tone=learned))


YELLOW, GREY = np.array([1, 0.8, -0.6], np.float32), np.ones(3, np.float32)


@pytest.mark.parametrize(
    ("left", "moves", "told"),
    [(0.03 * GREY, 3, True), (0.012 * YELLOW, 3, True), (0 * GREY, 3, False), (0.02 * GREY, 0, False)],
)
def test_a_stain_without_an_outline_is_seen_where_the_picture_moves(texture, left, moves, told):
    """What stays of a mark where slopes are gentle; in a picture that stands it may be the picture's own, unless it is a tint."""
    cover = np.hypot(*(np.mgrid[0:120, 0:160] - np.array([60, 80])[:, None, None])) < 28
    blob = ndi.gaussian_filter(cover.astype(np.float32), 5)[..., None]
    picture = np.repeat(0.3 + 0.4 * texture[..., None], 3, 2)
    bare = np.stack([picture[40 : 40 + 120, 10 + moves * k : 170 + moves * k] + left * blob for k in range(32)])
    stain = stain_of(bare, cover)
    assert (stain > STAIN) == told
    assert stain < 0.04


def test_what_would_leave_a_stain_is_not_proposed(texture, monkeypatch):
    monkeypatch.setattr("hushcore.patch.overlaid.stain_of", lambda *_: 0.02)
    wall = Stamped(texture)
    veil = veil_of(wall)
    assert veil.stained
    assert Veil.of(veil.plain()).stained
    assert from_itself(held_in_frame(FRAMES, ANCHOR, SIZE), wall.read, EDGE, SRGB) is None
