"""Holds on the demo's shots against their truth, beside peers measured in the same run; their cost and their memory."""

import contextlib
import gc
import math
import resource
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from scipy.stats import spearmanr

from demo import arm, bust, jug, raster, wall, yard
from hushcore.geometry import homography
from hushcore.hold.method import Method, Stiffness
from hushcore.hold.picture import luma, normalise
from hushcore.hold.record import Hold, HoldFrame, follow, start
from hushcore.hold.second import SecondPass
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.hold.tracker import make_tracker
from hushcore.media.footage import open_footage

GLOSS = Method(stiffness=Stiffness.of(72, 1))
Errors = dict[int, np.ndarray]


@dataclass(frozen=True)
class Scene:
    """A shot, the middle and radius (px on the anchor frame) of the ground, and how it is held."""

    name: str
    place: str
    anchor: int
    centre: tuple[float, float]
    radius: float
    method: Method
    online: float
    twice: float | None


def scenes() -> list[Scene]:
    skin = raster.project(arm.arm_points(np.array([4.6]), np.array([1.65]), float(arm.ANCHOR)))[0]
    stamp = raster.project(bust.clay_points(*(np.array([at]) for at in bust.STAMP), float(bust.ANCHOR)))[0]
    painted = yard.to_picture(float(yard.ANCHOR), np.zeros(2))
    sign = (702.0, 316.0)
    return [
        Scene("cloth (apron)", "apron", 1049, (558, 314), 130, Method(), 0.38, 0.25),
        Scene("skin (arm)", "arm", arm.ANCHOR, (float(skin[0]), float(skin[1])), 120, Method(), 0.35, 0.22),
        Scene("gloss (jug)", "jug/jug.mov", jug.ANCHOR, (662, 372), 110, GLOSS, 0.32, 0.20),
        Scene("wall, planar", "wall", wall.ANCHOR, sign, 190, Method("planar"), 0.08, None),
        Scene("wall, mesh", "wall", wall.ANCHOR, sign, 190, Method(stiffness=Stiffness.of(72, 3)), 0.14, 0.11),
        Scene(
            "clay (bust)",
            "bust/bust.mov",
            bust.ANCHOR,
            (float(stamp[0]), float(stamp[1])),
            64,
            Method("auto"),
            0.35,
            None,
        ),
        Scene(
            "brick (yard)",
            "yard/yard.mov",
            yard.ANCHOR,
            (float(painted[0]), float(painted[1])),
            150,
            Method("auto"),
            0.10,
            None,
        ),
    ]


class Truth:
    """Positions of still points of the ground on every frame, where they can be seen."""

    def __init__(self, folder: Path, scene: Scene) -> None:
        stored = np.load(folder / "truth.npz")
        rows, cols = np.nonzero(np.ones(stored["positions"].shape[1:3]))
        still = np.stack([cols, rows], -1) * float(stored["step"])
        inside = np.hypot(*(still - scene.centre).T) < scene.radius - 4
        self.still = still[inside]
        self.frames = [int(n) for n in stored["frames"]]
        self.at = stored["positions"][:, rows, cols][:, inside]
        self.seen = stored["visible"][:, rows, cols][:, inside]

    def errors(self, frame: int, found: np.ndarray) -> np.ndarray:
        k = self.frames.index(frame)
        return np.hypot(*(found - self.at[k]).T)[self.seen[k]]

    def of(self, hold: Hold, frames: dict[int, HoldFrame]) -> Errors:
        return {n: self.errors(n, hold.map_of(frame.params).forward(self.still)) for n, frame in frames.items()}


def circle(scene: Scene) -> list[list[float]]:
    turns = np.arange(48) * 2 * math.pi / 48
    return [[scene.centre[0] + scene.radius * math.cos(t), scene.centre[1] + scene.radius * math.sin(t)] for t in turns]


HEAD = (
    "| shot | tracker | RMS | median | 95th | 99th | worst frame | last | ms/frame | target |\n"
    "|---|---|---|---|---|---|---|---|---|---|"
)


def row(shot: str, name: str, errors: Errors, ms: float | None = None, target: float | None = None) -> None:
    errors = {frame: e for frame, e in errors.items() if len(e)}
    every = np.concatenate(list(errors.values()))
    frames = {frame: float(np.sqrt((e**2).mean())) for frame, e in errors.items()}
    worst = max(frames, key=frames.__getitem__)
    rms = float(np.sqrt((every**2).mean()))
    quantiles = " | ".join(f"{np.percentile(every, q):.2f}" for q in (50, 95, 99))
    last = max(frames[min(frames)], frames[max(frames)])
    cost, aim = f"{ms:.0f}" if ms else "", "" if target is None else f"{target:.2f}"
    print(
        f"| {shot} | {name} | {rms:.3f} | {quantiles} | {frames[worst]:.2f} at {worst} | {last:.2f} | {cost} | {aim} |"
    )


def quality(var: Path) -> None:
    """Every scene online and with the second pass, beside chained flow, anchored KLT and, for the wall, ECC."""
    print("\nHolds against truth (px over visible points of the ground)\n\n" + HEAD)
    said = []
    for scene in scenes():
        clip, truth = open_footage(var / "media" / scene.place), Truth(var / "truth" / scene.place.split("/")[0], scene)
        ground = Ground.of([circle(scene)])
        read = kept(clip.read, scene.anchor)
        began, hold = time.perf_counter(), None
        for _, hold in track(read, ground, scene.method, scene.anchor, clip.first, clip.last):
            pass
        assert hold is not None
        spent = 1000 * (time.perf_counter() - began - read.spent) / len(hold.frames)  # type: ignore[attr-defined]
        online = truth.of(hold, hold.frames)
        row(scene.name, "ours, online", online, spent, scene.online)
        began = time.perf_counter()
        second = dict(SecondPass(hold, ground, scene.method, clip.read).run())
        row(
            scene.name,
            "ours, second pass",
            truth.of(hold, second),
            1000 * (time.perf_counter() - began) / len(second),
            scene.twice,
        )
        said.append(drift_words(scene.name, hold, truth))
        if scene.name != "wall, mesh":
            row(scene.name, "dense flow (DIS), chained", chained_flow(clip, truth, scene))
            row(scene.name, "KLT, anchored, robust fit", anchored_klt(clip, truth, scene))
        if scene.name == "wall, planar":
            row(scene.name, "ECC homography (OpenCV)", ecc(clip, truth, scene))
    print(
        "\n| shot | drift: rank correlation per frame (.6) | errors over .5 px under twice the figure (90 %) | jitter px (.08) |"
    )
    print("|---|---|---|---|")
    print("\n".join(said))


class kept:
    """A reader that says how long reading took; the anchor is read once."""

    def __init__(self, read: Callable[[int], Any], anchor: int) -> None:
        self.read, self.anchor, self.spent = read, anchor, 0.0

    def __call__(self, frame: int) -> Any:
        began = time.perf_counter()
        codes = self.read(frame)
        self.spent += time.perf_counter() - began
        return codes


def drift_words(name: str, hold: Hold, truth: Truth) -> str:
    frames = sorted(hold.frames)
    errors = truth.of(hold, hold.frames)
    true = [float(np.sqrt((errors[n] ** 2).mean())) if len(errors[n]) else 0.0 for n in frames]
    rank = spearmanr(true, [hold.frames[n].drift_rms for n in frames])[0]
    figures = {n: hold.drift_at(n, truth.still)[truth.seen[truth.frames.index(n)]] for n in frames}
    error, figure = (np.concatenate([side[n] for n in frames]) for side in (errors, figures))
    large = error > 0.5
    under = f"{100 * (error < 2 * figure)[large].mean():.0f} % of {large.sum()}" if large.any() else "none so large"
    return f"| {name} | {rank:.2f} | {under} | {jitter(hold, truth):.3f} |"


def jitter(hold: Hold, truth: Truth) -> float:
    """RMS second difference of the error over sqrt 6, a component, on one side of the anchor at a time."""
    squares = []
    for side in ([n for n in hold.frames if n > hold.anchor], [n for n in hold.frames if n < hold.anchor]):
        away = []
        for number in sorted(side):
            k = truth.frames.index(number)
            away.append(np.where(truth.seen[k][:, None], hold.at(number).forward(truth.still) - truth.at[k], np.nan))
        if len(away) > 2:
            squares.append(np.diff(np.stack(away), 2, axis=0) ** 2)
    return float(np.sqrt(np.nanmean(np.concatenate(squares)) / 6))


def _bytes(codes: np.ndarray) -> np.ndarray:
    return np.clip(normalise(luma(codes)) * 48 + 128, 0, 255).astype(np.uint8)


def _ways(clip: Any, anchor: int) -> Iterator[range]:
    yield range(anchor + 1, clip.last + 1)
    yield range(anchor - 1, clip.first - 1, -1)


def chained_flow(clip: Any, truth: Truth, scene: Scene) -> Errors:
    """Frame-to-frame dense flow on normalised pictures, added up."""
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    found = {}
    for way in _ways(clip, scene.anchor):
        at, before = truth.still.astype(np.float32), _bytes(clip.read(scene.anchor))
        for frame in way:
            now = _bytes(clip.read(frame))
            step = flow.calc(before, now, None)
            moved = [
                cv2.remap(step[..., k], at[:, 0], at[:, 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[:, 0]
                for k in (0, 1)
            ]
            at = at + np.stack(moved, -1)
            found[frame] = truth.errors(frame, at)
            before = now
    return found


def anchored_klt(clip: Any, truth: Truth, scene: Scene) -> Errors:
    """Corners of the anchor followed straight from it, checked forward and back, smoothed by thin plates."""
    from scipy.interpolate import RBFInterpolator

    anchor = _bytes(clip.read(scene.anchor))
    mask = np.zeros_like(anchor)
    cv2.fillPoly(mask, [np.round(circle(scene)).astype(np.int32)], 1)
    corners = cv2.goodFeaturesToTrack(anchor, 500, 0.005, 6, mask=mask)
    options = {"winSize": (31, 31), "maxLevel": 3}
    found = {}
    for way in _ways(clip, scene.anchor):
        guess, moved = corners.copy(), truth.still
        for frame in way:
            now = _bytes(clip.read(frame))
            there, ok, _ = cv2.calcOpticalFlowPyrLK(
                anchor, now, corners, guess.copy(), flags=cv2.OPTFLOW_USE_INITIAL_FLOW, **options
            )
            back, ok2, _ = cv2.calcOpticalFlowPyrLK(
                now, anchor, there, corners.copy(), flags=cv2.OPTFLOW_USE_INITIAL_FLOW, **options
            )
            good = (ok & ok2)[:, 0].astype(bool) & (np.hypot(*(back - corners)[:, 0].T) < 0.7)
            if good.sum() > 30:
                fit = homography.fit(corners[good, 0].astype(float), there[good, 0].astype(float))
                rest = there[good, 0] - homography.apply(fit, corners[good, 0].astype(float))
                sound = np.hypot(*rest.T) < 12
                plate = RBFInterpolator(corners[good, 0][sound], there[good, 0][sound], neighbors=40, smoothing=20.0)
                guess = plate(corners[:, 0]).astype(np.float32)[:, None]
                moved = plate(truth.still)
            found[frame] = truth.errors(frame, moved)
    return found


def ecc(clip: Any, truth: Truth, scene: Scene) -> Errors:
    """OpenCV's findTransformECC with a homography, anchored, begun from the frame before;
    its template is the whole square round the ground."""
    anchor = luma(clip.read(scene.anchor)).astype(np.float32)
    x, y = (int(c) for c in scene.centre)
    r = int(scene.radius)
    part = np.ascontiguousarray(anchor[y - r : y + r, x - r : x + r])
    shift = np.array([[1, 0, x - r], [0, 1, y - r], [0, 0, 1]], np.float32)
    found = {}
    for way in _ways(clip, scene.anchor):
        warp = shift.copy()
        for frame in way:
            now = luma(clip.read(frame)).astype(np.float32)
            stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6)
            with contextlib.suppress(cv2.error):  # not converged: it stays where it was
                _, warp = cv2.findTransformECC(part, now, warp, cv2.MOTION_HOMOGRAPHY, stop, None, 5)
            matrix = warp.astype(float) @ np.linalg.inv(shift.astype(float))
            found[frame] = truth.errors(frame, homography.apply(matrix, truth.still))
    return found


def cost(var: Path) -> None:
    """A step beside one DIS-medium call on the same region, one thread; and a 1000 px region of a 1080p frame."""
    cv2.setNumThreads(1)
    print("\n| region | step ms | DIS-medium ms | ratio (target 3.5) |\n|---|---|---|---|")
    for scene in scenes():
        clip = open_footage(var / "media" / scene.place)
        frames = [clip.read(n) for n in range(scene.anchor, scene.anchor + 9)]
        _cost_row(scene.name, frames, Ground.of([circle(scene)]), scene.method)
    large = [_enlarged(open_footage(var / "media" / "apron").read(n)) for n in range(1049, 1055)]
    box = [[440.0, 60], [1440, 60], [1440, 1060], [440, 1060]]
    _cost_row("1000 x 1000 px of 1920 x 1080, mesh", large, Ground.of([box]), Method())
    _cost_row("the same, mesh of 72 px", large, Ground.of([box]), GLOSS)
    flat = [_enlarged(open_footage(var / "media" / "wall").read(n)) for n in range(wall.ANCHOR, wall.ANCHOR + 6)]
    _cost_row("the same of the wall, planar", flat, Ground.of([box]), Method("planar"))
    cv2.setNumThreads(-1)


def _enlarged(codes: np.ndarray) -> np.ndarray:
    return cv2.resize(codes, (1920, 1080), interpolation=cv2.INTER_CUBIC)


def _cost_row(name: str, frames: list[np.ndarray], ground: Ground, method: Method) -> None:
    tracker = make_tracker(frames[0], ground, method)
    tracker.step(frames[1])
    began = time.perf_counter()
    for codes in frames[2:]:
        tracker.step(codes)
    step = (time.perf_counter() - began) / (len(frames) - 2)
    area = tracker.still.rect.grown(40).clipped(*tracker.size)
    one, two = ((luma(codes)[area.slices] * 255).astype(np.uint8) for codes in frames[:2])
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow.calc(one, two, None)
    began = time.perf_counter()
    for _ in range(6):
        flow.calc(one, two, None)
    peer = (time.perf_counter() - began) / 6
    print(f"| {name} | {1000 * step:.0f} | {1000 * peer:.0f} | {step / peer:.1f} |")


def memory(var: Path) -> None:
    """Resident memory while 2,000 frames are measured, beside 100: the demo shot there and back again."""
    clip = open_footage(var / "media" / "apron")
    scene = scenes()[0]
    near = {n: clip.read(n) for n in range(1049, 1061)}
    there_and_back = [*range(1050, 1060), *range(1060, 1049, -1)]
    tracker = make_tracker(near[1049], Ground.of([circle(scene)]), Method(stiffness=Stiffness.of(72, 1)), 1049)
    hold = start(tracker, 1049)
    print("\n| frames measured | resident MB | of them the hold's own frames MB |\n|---|---|---|")
    numbers = iter(range(1050, 1050 + 2000))
    for number in numbers:
        frame = near[there_and_back[number % len(there_and_back)]]
        for _, made in follow(tracker, lambda _, codes=frame: codes, [number]):
            hold.frames[number] = made
        if len(hold.frames) in (100, 500, 1000, 2000):
            gc.collect()
            own = sum(
                f.params.nbytes + f.drift.nbytes + (f.cells.nbytes if f.cells is not None else 0)
                for f in hold.frames.values()
            )
            print(f"| {len(hold.frames)} | {_resident():.0f} | {own / 1e6:.1f} |")
    print(f"peak {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


def _resident() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


def hold(var: Path) -> None:
    """All of it."""
    quality(var)
    cost(var)
    memory(var)
