"""Holds on the demo's shots against their exact truth: skin, gloss, and a wall that someone walks past."""

import cv2
import numpy as np
import pytest

from bench import hold as bench
from demo import arm, jug, raster, wall
from demo.render import stretch_of
from hushcore.hold.method import Method, Stiffness
from hushcore.hold.record import Hold
from hushcore.hold.report import report
from hushcore.hold.second import SecondPass
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.media.footage import open_footage
from hushcore.media.movies import open_movie
from hushcore.media.pictures import read_codes
from tests.conftest import rendered
from tests.hushcore.test_demo_kinds import errors_of, round_about

# engine.md, targets (RMS px on the demo's truth): online, two passes
SKIN, GLOSS, WALL = (0.35, 0.22), (0.32, 0.20), 0.08


def held(clip, ground: Ground, method: Method, anchor: int, first: int, last: int) -> Hold:
    hold = None
    for _, hold in track(clip.read, ground, method, anchor, first, last):
        pass
    assert hold is not None
    return hold


def rms(errors: np.ndarray) -> float:
    return float(np.sqrt((errors**2).mean()))


def by_frame(hold: Hold, truth, centre, radius) -> dict[int, float]:
    found = {}
    for number, frame in hold.frames.items():
        one = Hold(hold.kind, hold.anchor, hold.size, hold.grid, hold.corner, {number: frame})
        errors = errors_of(one, truth, 0, centre, radius)
        if len(errors):
            found[number] = rms(errors)
    return found


def test_the_arms_truth_agrees_with_an_independent_flow(shots):
    """demo.md: dense flow between two clean frames, against the truth's own motion: no bias of a tenth of a pixel."""
    truth = np.load(shots[1] / "arm" / "truth.npz")
    one, two = (
        np.clip(read_codes(shots[1] / "arm" / "clean" / f"arm.{n:04d}.exr")[..., 1] ** (1 / 2.4) * 255, 0, 255).astype(
            np.uint8
        )
        for n in (30, 31)
    )
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(one, two, None)
    k = list(truth["frames"]).index(30)
    seen = truth["visible"][k] & truth["visible"][k + 1]
    at, to = truth["positions"][k][seen], truth["positions"][k + 1][seen]
    inside = (np.abs(at[:, 1] - 360) < 300) & (np.abs(at[:, 0] - 640) < 560)
    found = np.stack([cv2.remap(flow[..., c], at[:, :1], at[:, 1:], cv2.INTER_LINEAR)[:, 0] for c in range(2)], -1)
    miss = (found - (to - at))[inside]
    assert inside.sum() > 2000
    assert np.abs(np.median(miss, 0)).max() < 0.1


def test_skin_that_bends_and_turns_is_held(shots):
    clip = open_footage(shots[0] / "arm")
    truth = np.load(shots[1] / "arm" / "truth.npz")
    centre = raster.project(arm.arm_points(np.array([4.6]), np.array([1.65]), float(arm.ANCHOR)))[0]
    ground = Ground.of([round_about(centre, 120)])
    hold = held(clip, ground, Method(), arm.ANCHOR, 16, 46)
    errors = errors_of(hold, truth, 0, centre, 116)
    assert rms(errors) < SKIN[1]  # online already as good as two passes need to be
    assert np.percentile(errors, 95) < 2.3 * SKIN[1]
    assert max(by_frame(hold, truth, centre, 116).values()) < 2.5 * SKIN[1]
    assert not [weak for weak in report(hold) if weak.kind in ("lost", "drift")]


def test_gloss_is_held_past_its_highlight_and_better_the_second_time(shots):
    clip = open_footage(shots[0] / "jug" / "jug.mov")
    truth = np.load(shots[1] / "jug" / "truth.npz")
    centre, ground = np.array([662.0, 372]), Ground.of([round_about((662, 372), 110)])
    method = Method(stiffness=Stiffness.of(72, 1))  # the preset for gloss
    hold = held(clip, ground, method, jug.ANCHOR, 8, 40)
    once = rms(errors_of(hold, truth, 0, centre, 106))
    assert once < GLOSS[0]
    hold.frames.update(SecondPass(hold, ground, method, clip.read).run())
    twice = rms(errors_of(hold, truth, 0, centre, 106))
    assert twice < GLOSS[1]
    assert twice <= once + 0.005


def test_a_wall_is_held_while_someone_walks_past(shots):
    clip = open_footage(shots[0] / "wall")
    truth = np.load(shots[1] / "wall" / "truth.npz")
    centre = wall.to_picture(float(wall.ANCHOR - wall.FIRST), np.array(wall.SIGN, float))
    hold = held(clip, Ground.of([round_about(centre, 190)]), Method("planar"), wall.ANCHOR, wall.ANCHOR, 86442)
    assert rms(errors_of(hold, truth, 0, centre, 186)) < WALL
    frames = by_frame(hold, truth, centre, 186)
    assert max(frames.values()) < 3.5 * WALL
    covered = [weak for weak in report(hold) if weak.kind == "covered"]
    assert covered, "a good part of the ground is covered for some frames, and it says so"
    assert not any(frame.lost for frame in hold.frames.values())


def test_a_wall_that_is_wholly_covered_is_lost_in_words_and_found_again(shots):
    clip = open_footage(shots[0] / "wall")
    truth = np.load(shots[1] / "wall" / "truth.npz")
    centre = wall.to_picture(float(wall.ANCHOR - wall.FIRST), np.array(wall.SIGN, float))
    place = centre + np.array([20.0, 130])  # low on the wall, where the passer covers all of it
    hold = held(clip, Ground.of([round_about(place, 60)]), Method("planar"), wall.ANCHOR, wall.ANCHOR, 86446)
    lost = [weak for weak in report(hold) if weak.kind == "lost"]
    assert lost
    assert lost[0].words.startswith(f"Lost from {lost[0].first} to {lost[0].last}: ")
    after = by_frame(hold, truth, place, 56)
    assert max(after[number] for number in (86444, 86445, 86446)) < 3.5 * WALL


@pytest.mark.parametrize(("name", "most"), [("bust", 0.35), ("yard", 0.12)])
def test_clay_that_turns_and_a_wall_that_comes_nearer_are_held_as_the_program_chooses(name, most):
    """engine.md: skin online .35; a plane .08, here .12: a plain brick wall in coded footage that also grows in scale."""
    media, exact = rendered(name)
    clip = open_movie(media / name / f"{name}.mov", first=stretch_of(exact, name)[0])
    truth = np.load(exact / name / "truth.npz")
    scene = next(one for one in bench.scenes() if one.place.startswith(name))
    ground = Ground.of([bench.circle(scene)])
    hold = held(clip, ground, Method("auto"), scene.anchor, scene.anchor - 8, scene.anchor + 8)
    errors = errors_of(hold, truth, 0, np.array(scene.centre), scene.radius - 6)
    assert rms(errors) < most
