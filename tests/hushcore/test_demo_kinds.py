"""The chain on the demo's other kinds of footage, against their exact truth: log DPX and a 10-bit movie."""

import math

import cv2
import numpy as np
import pytest

from demo import jug, wall
from hushcore.colour import difference, spaces
from hushcore.colour.encoding import Encoding
from hushcore.deliver.frames import deliver_frame
from hushcore.deliver.proof import covered
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.media.clips import open_clip
from hushcore.media.movies import open_movie
from hushcore.media.pictures import read_codes
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate
from tests.hushcore.movies import delivered, joined

LOG = Encoding("acescct", 10)
VIDEO = Encoding("bt1886")


def round_about(centre, radius, count=32):
    turns = np.arange(count) * 2 * math.pi / count
    return [[centre[0] + radius * math.cos(t), centre[1] + radius * math.sin(t)] for t in turns]


def follow(clip, ground, kind, anchor, first, last) -> Hold:
    hold = None
    for _, growing in track(clip.read, Ground.of([ground]), kind, anchor, first, last):
        hold = growing
    return hold


def errors_of(hold, truth, offset, centre, radius) -> np.ndarray:
    """Distances (px) from the truth over visible grid points within ``radius`` of ``centre``."""
    ys, xs = np.nonzero(np.ones(truth["positions"].shape[1:3]))
    still = np.stack([xs, ys], -1) * float(truth["step"])
    inside = np.hypot(*(still - centre).T) < radius
    found = []
    for frame in hold.frames:
        at = list(truth["frames"]).index(frame - offset)
        seen = truth["visible"][at][ys, xs] & inside
        found.append(np.hypot(*(hold.at(frame).forward(still[seen]) - truth["positions"][at][ys, xs][seen]).T))
    return np.concatenate(found)


@pytest.fixture(scope="module")
def wall_case(shots):
    """The sign's place, the clip and a plane held before anyone walks past."""
    clip = open_clip(shots[0] / "wall")
    centre = wall.to_picture(float(wall.ANCHOR - wall.FIRST), np.array(wall.SIGN, float))
    hold = follow(clip, round_about(centre, 250), "planar", wall.ANCHOR, wall.ANCHOR - 6, wall.ANCHOR + 6)
    return clip, centre, hold


def test_a_plane_holds_on_ten_bit_log(shots, wall_case):
    clip, centre, hold = wall_case
    assert (clip.bits, clip.first) == (10, 86401)
    truth = np.load(shots[1] / "wall" / "truth.npz")
    errors = errors_of(hold, truth, 0, centre, 240)
    assert np.sqrt((errors**2).mean()) < 0.08  # engine.md: wall, planar, online


def to_lab(codes, encoding, primaries) -> np.ndarray:
    linear = encoding.decode(codes)
    if primaries != "Linear Rec.709 (sRGB)":
        linear = spaces.apply(spaces.between(primaries, "Linear Rec.709 (sRGB)"), linear)
    return difference.linear_to_lab(cv2.GaussianBlur(linear, (0, 0), 2.0))


def test_light_is_matched_in_log_and_ten_bits_come_back(shots, wall_case, tmp_path):
    clip, centre, hold = wall_case
    clean = read_codes(shots[1] / "wall" / "clean" / f"wall.{wall.ANCHOR:07d}.dpx")
    plate = make_plate(clip.read(wall.ANCHOR), hold, wall.ANCHOR, [], clean, LOG)
    edge = Edge.of(np.array(round_about(centre + np.array([0, 10]), 215)), 0, 8)
    fix = make_fix(hold, Plan(edge, Match("under")), [(wall.ANCHOR, plate)])
    for frame in (wall.ANCHOR - 6, wall.ANCHOR + 6):
        proof = deliver_frame(clip, frame, [fix], tmp_path)  # raises unless every value outside is the source's
        assert proof.changed_outside == 0 < proof.changed_inside
        truth = read_codes(shots[1] / "wall" / "clean" / f"wall.{frame:07d}.dpx")
        source, made = clip.read(frame), read_codes(tmp_path / proof.file)
        inside = covered(source.shape, [lay(source, frame, fix)])
        lab = [to_lab(codes, LOG, "ACEScg") for codes in (truth, made, source)]
        patched, untouched = (difference.ciede2000(lab[0], other)[inside].mean() for other in lab[1:])
        assert patched < 1.0  # common practice: a difference of one is about what a trained eye sees
        assert patched < untouched / 5


def test_a_patch_on_a_ten_bit_movie_lands_in_its_own_samples(shots, tmp_path):
    """The jug's sticker, with a known clean plate, delivered as planes and read back."""
    movie = open_movie(shots[0] / "jug" / "jug.mov", first=1001)
    assert (movie.header.rate, movie.header.bits, movie.header.timecode) == (
        movie.header.rate.__class__(24000, 1001), 10, "01:00:10:00",
    )  # fmt: skip
    anchor = 1001 + jug.ANCHOR
    x, y = jug.CENTRE + 6, jug.STICKER[1]
    hold = follow(movie, round_about((x, y), 110), "mesh", anchor, anchor - 3, anchor + 3)
    truth = np.load(shots[1] / "jug" / "truth.npz")
    errors = errors_of(hold, truth, 1001, (x, y), 80)
    assert np.median(errors) < 0.5
    clean = read_codes(shots[1] / "jug" / "clean" / f"jug.{jug.ANCHOR:04d}.tif")
    plate = make_plate(movie.read(anchor), hold, anchor, [], clean, VIDEO)
    corners = np.array([[x - 78, y - 60], [x + 78, y - 60], [x + 78, y + 60], [x - 78, y + 60]], float)
    fix = make_fix(hold, Plan(Edge.of(corners, 0, 6), Match("under")), [(anchor, plate)])
    frames = [anchor - 2, anchor, anchor + 2]
    for k, frame in enumerate(frames):
        delivered(movie, [frame], tmp_path / str(k), [fix])
        made = open_movie(joined(movie, [frame], tmp_path / str(k)))
        truth_codes = read_codes(shots[1] / "jug" / "clean" / f"jug.{frame - 1001:04d}.tif")
        source, back = movie.read(frame), made.read(0)
        inside = covered(source.shape, [lay(source, frame, fix)])
        lab = [to_lab(codes, VIDEO, "Linear Rec.709 (sRGB)") for codes in (truth_codes, back, source)]
        patched, untouched = (difference.ciede2000(lab[0], other)[inside].mean() for other in lab[1:])
        assert patched < untouched / 4
