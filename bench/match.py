"""Every light mode on every demo shot against the clean frames, beside peers measured in the same run; grain; cost.

The hold is the product's own, measured in this run and kept under var while the tracker's code stands.
"""

import hashlib
import itertools
import json
import math
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np

from bench import hold as holds
from demo import sensor, yard
from hushcore.arrays import F32, Codes, Rect
from hushcore.colour import difference, spaces
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.edge.matte import Edge
from hushcore.hold.maps import dense_inverse
from hushcore.hold.record import Hold
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.light import fields
from hushcore.media.footage import open_footage
from hushcore.media.pictures import read_codes
from hushcore.patch.evidence import gather
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import Laid, lay
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.plates.plate import Plate, make_plate, still_picture

ROOT = Path(__file__).resolve().parent.parent
LINEAR709 = "Linear Rec.709 (sRGB)"


@dataclass(frozen=True)
class Case:
    """A shot with its hold, its edge, and where its clean frames lie."""

    scene: holds.Scene
    encoding: Encoding
    edge: Edge
    clean: str
    every: int = 6
    plate: int | None = None
    stands: bool = False

    @property
    def folder(self) -> str:
        return self.scene.place.split("/")[0]


def circle(centre: Sequence[float], radius: float) -> np.ndarray:
    turns = np.arange(48) * 2 * math.pi / 48
    return np.stack([centre[0] + radius * np.cos(turns), centre[1] + radius * np.sin(turns)], -1)


def cases() -> list[Case]:
    """The demo's six shots, the yard's twice: its sign, and the overlay that stands in its corner."""
    cloth, skin, gloss, wall, _, clay, brick = holds.scenes()
    wall = replace(wall, centre=(702.0, 316.0), radius=250)
    x, y = 668.0, 372.0
    sticker = np.array([[x - 78, y - 60], [x + 78, y - 60], [x + 78, y + 60], [x - 78, y + 60]])
    left, top = yard.OVERLAY
    return [
        Case(cloth, SRGB, Edge.of(circle(cloth.centre, 100), 4, 12), "apron.{:04d}.tif"),
        Case(skin, Encoding("linear", 16), Edge.of(circle(skin.centre, 72), 4, 12), "arm.{:04d}.exr"),
        Case(gloss, Encoding("bt1886"), Edge.of(sticker, 0, 8), "jug.{:04d}.tif", 4),
        Case(wall, Encoding("acescct", 10), Edge.of(circle(wall.centre, 200), 0, 8), "wall.{:07d}.dpx", 4),
        Case(clay, Encoding("bt1886", 8), Edge.of(circle(clay.centre, 44)), "bust.{:04d}.tif", 4),
        Case(brick, Encoding("bt1886", 10), Edge.of(circle((brick.centre[0], brick.centre[1] + 14), 148)), "yard.{:04d}.tif", 4),
        Case(
            replace(brick, name="overlay (yard)", centre=(left, top), radius=150), Encoding("bt1886", 10),
            Edge.of(np.array([[left - 78, top - 36], [left + 78, top - 36], [left + 78, top + 36], [left - 78, top + 36]])),
            "yard.{:04d}.tif", 4, stands=True,
        ),
    ]  # fmt: skip


def held(case: Case, var: Path, stretch: tuple[int, int] | None = None) -> Hold:
    """The product's own hold of the whole shot, or of a stretch of it."""
    code = hashlib.sha256()
    for place in (ROOT / "hushcore" / "hold", ROOT / "hushcore" / "geometry"):
        for file in sorted(place.glob("*.py")):
            code.update(file.read_bytes())
    stamp = (var / "truth" / case.folder / "rendered.txt").read_text()
    code.update(repr((case.scene, case.stands, stamp, stretch)).encode())
    kept = var / "bench" / f"{case.folder}-{code.hexdigest()[:16]}.json"
    if kept.exists():
        return Hold.of(json.loads(kept.read_text()))
    clip = open_footage(var / "media" / case.scene.place)
    found = None
    ground = _around_it(case) if case.stands else Ground.of([holds.circle(case.scene)])
    for _, found in track(
        clip.read, ground, case.scene.method, case.scene.anchor, *(stretch or (clip.first, clip.last))
    ):
        pass
    assert found is not None
    kept.parent.mkdir(parents=True, exist_ok=True)
    kept.write_text(json.dumps(found.plain()))
    return found


def _around_it(case: Case) -> Ground:
    """The surface round a standing mark."""
    mark = case.edge.outlines[0].keys[0][1].points
    corners = np.clip([mark.min(0) - 70, mark.max(0) + 70], 1, [1278, 718])
    (left, top), (right, bottom) = corners
    box = [[left, top], [right, top], [right, bottom], [left, bottom]]
    return replace(Ground.of([box]), stands=(mark,))


def clean_codes(case: Case, var: Path, frame: int) -> Codes:
    """The truth without mark and grain."""
    return read_codes(var / "truth" / case.folder / "clean" / case.clean.format(frame))


def with_grain(linear709: F32, seed: int) -> F32:
    """Other grain of the shot's own kind on a linear picture."""
    return sensor.add_grain(linear709, sensor.grain_field(linear709.shape, seed))


def grainy(case: Case, codes: Codes, seed: int) -> Codes:
    """Codes of the truth with other grain of the shot's own kind."""
    linear = case.encoding.decode(codes)
    if case.encoding.space == "acescct":
        back = spaces.apply(spaces.between("ACEScg", LINEAR709), linear)
        linear = spaces.apply(spaces.between(LINEAR709, "ACEScg"), with_grain(back, seed))
    else:
        linear = with_grain(linear, seed)
    return case.encoding.encode(linear, codes.dtype)


def lab_of(case: Case, codes: Codes | F32, rect: Rect) -> np.ndarray:
    """Lab of a part of a frame (codes, or linear light in float32) after a 2 px low-pass."""
    around = rect.grown(8).clipped(codes.shape[1], codes.shape[0])
    linear = codes[around.slices]
    if codes.dtype != np.float32:
        linear = case.encoding.decode(linear)
    if case.encoding.space == "acescct":
        linear = spaces.apply(spaces.between("ACEScg", LINEAR709), linear)
    low = cv2.GaussianBlur(linear, (0, 0), 2.0)
    return difference.linear_to_lab(low)[rect.moved(-around.left, -around.top).slices]


@dataclass(frozen=True)
class Bench:
    """A case made ready."""

    case: Case
    clip: object
    hold: Hold
    plate: Plate
    evidence: Evidence
    frames: list[int]
    var: Path

    def read(self, frame: int) -> Codes:
        return self.clip.read(frame)  # type: ignore[attr-defined]

    def fix(self, match: Match, **more: object) -> Fix:
        plan = Plan(self.case.edge, match, stands=self.case.stands, **more)  # type: ignore[arg-type]
        return make_fix(
            self.hold, plan, [(self.case.plate or self.case.scene.anchor, self.plate)], self.evidence, read=self.read
        )


def plate_of(case: Case, var: Path, clip: object, hold: Hold, frame: int) -> Plate:
    """A frame with the mark painted out as it truly is, in grain of its own."""
    codes = clip.read(frame)  # type: ignore[attr-defined]
    clean = grainy(case, clean_codes(case, var, frame), 4242 + frame)
    whole = Rect(0, 0, codes.shape[1], codes.shape[0])
    still = case.edge.matte(whole)
    if not case.stands:
        still = cv2.remap(still, *dense_inverse(hold.at(frame), whole), cv2.INTER_LINEAR)
    marked = still > 0
    painted = codes.copy()
    painted[marked] = clean[..., :3][marked]
    return make_plate(codes, hold, frame, [], painted, case.encoding)


def ready(case: Case, var: Path, stretch: tuple[int, int] | None = None) -> Bench:
    """Open, hold (a stretch, or all of the shot), a plate and the shot's evidence."""
    clip = open_footage(var / "media" / case.scene.place)
    hold = held(case, var, stretch)
    number = case.plate or case.scene.anchor
    plate = plate_of(case, var, clip, hold, number)
    plan = Plan(case.edge, Match(), stands=case.stands)
    evidence = gather(clip.read, hold, case.edge, case.encoding, plan, [(number, plate)])
    frames = [n for n in range(clip.first, clip.last + 1, case.every) if hold.has(n)]
    return Bench(case, clip, hold, plate, evidence, frames, var)


def scored(bench: Bench, made: Callable[[Codes, int], Laid]) -> tuple[float, float, float]:
    """Mean, worst frame and 95th percentile of CIEDE2000 inside the edge; frames where it hardly shows are left out."""
    means, every = [], []
    for frame in bench.frames:
        codes = bench.read(frame)
        laid = made(codes, frame)
        inside = laid.matte > 0.99
        if inside.sum() < 500:
            continue
        sides = [
            lab_of(bench.case, side, laid.rect) for side in (laid.codes, clean_codes(bench.case, bench.var, frame))
        ]
        apart = difference.ciede2000(sides[0][inside], sides[1][inside])
        means.append(float(apart.mean()))
        every.append(apart[::7])
    return float(np.mean(means)), float(np.max(means)), float(np.percentile(np.concatenate(every), 95))


def laid_by(fix: Fix, spent: list[float] | None = None) -> Callable[[Codes, int], Laid]:
    """Lays a fix; ``spent`` gathers the seconds."""

    def made(codes: Codes, frame: int) -> Laid:
        began = time.perf_counter()
        laid = lay(codes, frame, fix)
        if spent is not None:
            spent.append(time.perf_counter() - began)
        return laid

    return made


def peers(bench: Bench) -> Iterator[tuple[str, Callable[[Codes, int], Laid]]]:
    """The plate warped as it is; OpenCV's two fillings on each frame; the truth in grain of its own (the floor)."""
    off = bench.fix(Match("off", blur=False, sharpness=False, grain="off"))
    yield "plate as it is", lambda codes, frame: lay(codes, frame, off)
    for name, kind in (("cv2.inpaint NS", cv2.INPAINT_NS), ("cv2.inpaint Telea", cv2.INPAINT_TELEA)):
        yield name, lambda codes, frame, kind=kind: _inpainted(bench, codes, lay(codes, frame, off), kind)

    def floor(codes: Codes, frame: int) -> Laid:
        laid = lay(codes, frame, off)
        return replace(laid, codes=grainy(bench.case, clean_codes(bench.case, bench.var, frame), frame))

    yield "floor", floor


def _inpainted(bench: Bench, codes: Codes, laid: Laid, kind: int) -> Laid:
    tonal = np.clip(bench.case.encoding.tonal(codes[laid.rect.slices][..., :3]) * 255, 0, 255).astype(np.uint8)
    filled = cv2.inpaint(tonal, (laid.matte > 0.01).astype(np.uint8), 5, kind)
    out = codes.copy()
    linear = bench.case.encoding.from_tonal(filled.astype(np.float32) / 255)
    out[laid.rect.slices][..., :3] = bench.case.encoding.encode(linear, codes.dtype)
    return replace(laid, codes=out)


def match(var: Path) -> None:
    """The table of modes and peers."""
    print("\nCIEDE2000 inside the edge after a 2 px low-pass: mean / worst frame / 95th percentile\n")
    print(
        "| shot | " + " | ".join(("mode", "mean", "worst frame", "95th", "ms/frame")) + " |\n|---|---|---|---|---|---|"
    )
    for case in cases():
        bench = ready(case, var)
        said = bench.evidence
        sigma = said.grain.mean_sigma if said.grain else float("nan")
        print(
            f"| {case.scene.name} | multiplies {said.multiplies:.2f}, shutter {said.shutter:.2f}, grain {sigma:.4f} | | | | |"
        )
        for name, made in peers(bench):
            print("| | " + name + " | {:.2f} | {:.2f} | {:.2f} | |".format(*scored(bench, made)), flush=True)
        for source, mode in [("replace", mode) for mode in fields.MODES] + [("lift", "auto")]:
            spent: list[float] = []
            score = scored(bench, laid_by(bench.fix(Match(mode), source=source), spent))
            label = mode if source == "replace" else "lift"
            print(
                "| | {} | {:.2f} | {:.2f} | {:.2f} | {:.0f} |".format(label, *score, 1000 * float(np.median(spent))),
                flush=True,
            )
        alone(bench)
        flicker(bench)
        grain(bench)
        cost(bench)


def alone(bench: Bench) -> None:
    """Light alone: the truth's own clean frame, without grain, as the plate; no grain is laid."""
    case = bench.case
    number = case.plate or case.scene.anchor
    codes = bench.read(number)
    clean = clean_codes(case, bench.var, number)[..., :3]
    plate = make_plate(codes, bench.hold, number, [], np.ascontiguousarray(clean), case.encoding)
    pure = replace(bench, plate=plate)
    for mode in ("under", "shine", "auto"):
        score = scored(pure, laid_by(pure.fix(Match(mode, grain="keep", sharpness=False))))
        print("| | light alone, {} | {:.2f} | {:.2f} | {:.2f} | |".format(mode, *score), flush=True)


def flicker(bench: Bench) -> None:
    """RMS change from frame to frame of how much lighter (L*, after the low-pass) the patch is than the truth; what the
    truth in grain of its own changes by the same measure is taken off."""
    fix, changes = bench.fix(Match()), []
    for frame in bench.frames:
        if not bench.hold.has(frame + 1):
            continue
        one, two = (_lighter(bench, fix, number) for number in (frame, frame + 1))
        if one is not None and two is not None:
            own, grain = (float(np.nanmean((b - a) ** 2)) for a, b in zip(one, two, strict=True))
            changes.append(max(own - grain, 0.0) ** 0.5)
    mean, median, worst = np.mean(changes), np.median(changes), np.max(changes)
    print(f"| | flicker, L* RMS: mean / worst frame / median | {mean:.2f} | {worst:.2f} | {median:.2f} | |", flush=True)


def _lighter(bench: Bench, fix: Fix, frame: int) -> list[np.ndarray] | None:
    """On the still surface, of the patch and of the truth in other grain; not a number where the patch is not."""
    codes = bench.read(frame)
    laid = lay(codes, frame, fix)
    if laid.seen is None or (laid.matte > 0.99).sum() < 500:
        return None
    clean = np.ascontiguousarray(clean_codes(bench.case, bench.var, frame)[..., :3])
    noisy = grainy(bench.case, clean, frame)
    still = (still_picture(side, bench.hold, frame, fix.rect, fix.encoding) for side in (laid.codes, noisy, clean))
    made, floor, truth = (
        lab_of(bench.case, side, Rect(0, 0, fix.rect.width, fix.rect.height))[..., 0] for side in still
    )
    inside = laid.seen.spot.matte > 0.99
    return [np.where(inside, side - truth, np.nan) for side in (made, floor)]


def bands(tonal: F32, inside: np.ndarray) -> np.ndarray:
    """Energy of the finest band and the next two (Gaussians of 1, 2 and 4 px), over channels."""
    steps = [tonal, *(cv2.GaussianBlur(tonal, (0, 0), s) for s in (1, 2, 4))]
    return np.array([float(((a - b)[inside] ** 2).mean()) for a, b in itertools.pairwise(steps)])


def grain(bench: Bench) -> None:
    """Band energies of the patch over those of the truth in grain of its own; grain's correlation from frame to frame."""
    fix = bench.fix(Match())
    off = bench.fix(Match(grain="off"))
    ratios, noise = [], []
    for frame in bench.frames[1::4]:
        codes = bench.read(frame)
        laid, bare = lay(codes, frame, fix), lay(codes, frame, off)
        inside = laid.matte > 0.99
        if inside.sum() < 500:
            continue
        truth = grainy(bench.case, clean_codes(bench.case, bench.var, frame), frame)
        tonal = [
            np.ascontiguousarray(bench.case.encoding.tonal(side[laid.rect.slices][..., :3]))
            for side in (laid.codes, truth, bare.codes)
        ]
        ratios.append(bands(tonal[0], inside) / bands(tonal[1], inside))
        noise.append((tonal[0] - tonal[2])[inside].ravel()[:20000])
    count = min(len(one) for one in noise)
    stuck = np.corrcoef(np.stack([one[:count] for one in noise]))[0, 1:]
    shown = " / ".join(f"{x:.2f}" for x in np.mean(ratios, 0))
    print(
        f"| | grain: band energies over the truth's | {shown} | correlation between frames {np.abs(stuck).max():.2f} | | |"
    )


def cost(bench: Bench) -> None:
    """A whole patch beside one full 1080p remap of three float channels, turn and turn about."""
    rng = np.random.default_rng(0)
    picture = rng.random((1080, 1920, 3), np.float32)
    y, x = np.mgrid[0:1080, 0:1920].astype(np.float32)
    moved = x + np.float32(0.3)
    fix = bench.fix(Match())
    frame = next(n for n in bench.frames if abs(n - bench.case.scene.anchor) > 8)
    codes = bench.read(frame)
    area = lay(codes, frame, fix).matte.shape
    share = area[0] * area[1] / (280 * 270)
    times: list[list[float]] = [[], []]
    for _ in range(9):
        for k, work in enumerate(
            (lambda: cv2.remap(picture, moved, y, cv2.INTER_LINEAR), lambda: lay(codes, frame, fix))
        ):
            began = time.perf_counter()
            work()
            times[k].append(time.perf_counter() - began)
    peer, own = (float(np.median(side)) for side in times)
    print(
        f"| | cost of {area[1]} x {area[0]} | {own / peer:.1f} remaps ({1000 * own:.0f} ms), {own / peer / share:.1f} by area of 280 x 270 | target 6 | | |",
        flush=True,
    )
