"""Every way to take a mark away against the clean frames, with OpenCV's own inpainting in the same run; the table of the
sources page: error over the floor, texture, flicker against the ring's, cost."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np

from bench import match as matching
from bench.match import Bench, Case, clean_codes, grainy, scored
from demo import arm, raster
from hushcore.arrays import Codes, Rect
from hushcore.edge.matte import Edge
from hushcore.fill.make import hole_of
from hushcore.fill.plan import Fill
from hushcore.patch.evidence import gather
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import Laid, lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate, still_picture
from hushcore.recipe.build import with_base

SIDE = 200  # px of the hole
SPARSE = 2  # times fewer frames than the bench of matching
BANDS = ((0.5, 2.0), (2.0, 8.0))
KINDS = {
    "soak": Fill("soak"), "contour, flow": Fill("contour"), "contour, march": Fill("contour", way="march"),
    "pull across": Fill("pull", direction=0.0), "pull in": Fill("pull"), "weave": Fill("weave"),
}  # fmt: skip
TARGETS = {
    "cloth": {"soak": 2.9, "weave": 2.9}, "skin": {"soak": 1.2, "weave": 1.2}, "wall": {"soak": 0.9, "weave": 1.2},
}  # fmt: skip


@dataclass(frozen=True)
class Row:
    """A way on a shot: error over the floor, its worst frame, the energy of its texture over the truth's in two bands, how
    much it flickers beside the ring, and the milliseconds of making it and of laying it on a frame."""

    error: float
    worst: float
    texture: tuple[float, float]
    flicker: float
    made: float
    laid: float

    def words(self) -> str:
        low, high = self.texture
        return (
            f"{self.error:.2f} | {self.worst:.2f} | {low:.2f} / {high:.2f} | {self.flicker:.2f} | {self.made:.0f} | "
            f"{self.laid:.0f}"
        )


def bench_of(case: Case, var: Path) -> Bench:
    """A shot held; evidence is gathered for every source anew."""
    made = matching.ready(case, var)
    return replace(made, frames=made.frames[::SPARSE])


def fix_of(bench: Bench, plan: Plan, donor=None, plates=()) -> tuple[Fix, float]:  # type: ignore[no-untyped-def]
    """A fix made ready as the recipe makes it, and the milliseconds of its plates."""
    began = time.perf_counter()
    encoding = bench.case.encoding
    based = with_base(plan, bench.hold, list(plates), bench.read, encoding, donor)
    spent = 1000 * (time.perf_counter() - began)
    evidence = gather(bench.read, bench.hold, plan.edge, encoding, plan, based)
    began = time.perf_counter()
    fix = make_fix(bench.hold, plan, based, evidence, None, bench.read, 0, donor)
    return fix, spent + (1000 * (time.perf_counter() - began) if plan.from_others else 0)


def row_of(bench: Bench, fix: Fix, made: float) -> Row:
    """A fix over the shot's frames."""
    spent: list[float] = []
    mean, worst, _ = scored(bench, matching.laid_by(fix, spent))
    floor, _, _ = scored(bench, _floor(bench, fix))
    return Row(
        mean - floor, worst - floor, texture_of(bench, fix), flicker_of(bench, fix), made, 1000 * float(np.median(spent))
    )


def _floor(bench: Bench, fix: Fix) -> Callable[[Codes, int], Laid]:
    def made(codes: Codes, frame: int) -> Laid:
        return replace(lay(codes, frame, fix), codes=grainy(bench.case, clean_codes(bench.case, bench.var, frame), frame))

    return made


def _tonal(bench: Bench, codes: Codes, rect: Rect) -> np.ndarray:
    tonal = bench.case.encoding.tonal(codes[rect.slices][..., :3])
    return np.ascontiguousarray(np.asarray(tonal, np.float32).mean(-1))


def _energy(luma: np.ndarray, inside: np.ndarray, fine: float, broad: float) -> float:
    band = cv2.GaussianBlur(luma, (0, 0), fine) - cv2.GaussianBlur(luma, (0, 0), broad)
    return float((band[inside] ** 2).mean())


def texture_of(bench: Bench, fix: Fix) -> tuple[float, float]:
    """Energy of the patch over that of the truth in grain of its own, in two bands."""
    ratios = []
    for frame in bench.frames[::2]:
        laid = lay(bench.read(frame), frame, fix)
        inside = laid.matte > 0.99
        if inside.sum() < 500:
            continue
        truth = grainy(bench.case, clean_codes(bench.case, bench.var, frame), frame)
        sides = [_tonal(bench, side, laid.rect) for side in (laid.codes, truth)]
        ratios.append([_energy(sides[0], inside, *band) / _energy(sides[1], inside, *band) for band in BANDS])
    low, high = np.mean(ratios, 0)
    return float(low), float(high)


def flicker_of(bench: Bench, fix: Fix) -> float:
    """RMS change from a frame to the next, held still and low-passed, in the patch over that in the ring."""
    changes: list[list[float]] = []
    for frame in bench.frames[1::2]:
        pair = [_still_luma(bench, fix, number) for number in (frame, frame + 1)]
        if any(one is None for one in pair):
            continue
        (a, inside, ring), (b, _, _) = pair  # type: ignore[misc]
        apart = b - a
        if ring.sum() > 400 and inside.sum() > 400:
            changes.append([float((apart[where] ** 2).mean()) for where in (inside, ring)])
    mean = np.mean(changes, 0)
    return float(np.sqrt(mean[0] / mean[1]))


def _still_luma(bench: Bench, fix: Fix, frame: int):  # type: ignore[no-untyped-def]
    if not bench.hold.has(frame):
        return None
    laid = lay(bench.read(frame), frame, fix)
    if laid.seen is None:
        return None
    spot = laid.seen.spot
    still = still_picture(laid.codes, bench.hold, frame, spot.rect, fix.encoding)
    luma = cv2.GaussianBlur(fix.encoding.tonal_of(np.maximum(still, 0)).mean(-1), (0, 0), 4.0)
    ring = (spot.outside > 8) & (spot.outside < 26)
    return luma, spot.matte > 0.99, ring


def inpainted(bench: Bench, edge: Edge, way: int) -> Callable[[Codes, int], Laid]:
    """The peer: OpenCV's inpainting of the anchor's still picture, carried and lit as any plate."""
    codes = bench.read(bench.hold.anchor)
    encoding = bench.case.encoding
    plate = make_plate(codes, bench.hold, bench.hold.anchor, [], None, encoding)
    rect, hole = hole_of(edge, bench.hold.anchor, plate.rect)
    local = rect.moved(-plate.rect.left, -plate.rect.top).slices
    tonal = np.rint(np.clip(encoding.tonal_of(np.maximum(plate.original[local], 0)) * 255, 0, 255)).astype(np.uint8)
    filled = encoding.from_tonal(cv2.inpaint(tonal, hole.astype(np.uint8), 5, way).astype(np.float32) / 255)
    painted = plate.painted.copy()
    painted[local][hole] = filled[hole]
    plan = Plan(edge, Match())
    based = [(bench.hold.anchor, replace(plate, painted=painted))]
    fix = make_fix(bench.hold, plan, based, gather(bench.read, bench.hold, edge, encoding, plan, based))
    return matching.laid_by(fix)


def square(centre: tuple[float, float], side: float) -> Edge:
    x, y, half = *centre, side / 2
    corners = np.array([[x - half, y - half], [x + half, y - half], [x + half, y + half], [x - half, y + half]])
    return Edge.of(corners, 0, 8)


def holes() -> list[tuple[str, Case, Edge]]:
    """The crest on the cloth, the mole on the arm, and a clean place of the wall."""
    cloth, skin, _, wall, *_ = matching.cases()
    mole = raster.project(arm.arm_points(*(np.array([at]) for at in arm.MOLE), float(arm.ANCHOR)))[0]
    x, y = wall.scene.centre
    return [
        ("cloth", cloth, cloth.edge), ("skin", skin, Edge.of(matching.circle(mole, 26), 2, 8)),
        ("wall", wall, square((x - 340, y + 20), SIDE)),
    ]  # fmt: skip


def on_the_surface(var: Path) -> Iterator[str]:
    """Fills that are solved once."""
    for name, case, edge in holes():
        bench = replace(bench_of(case, var), case=replace(case, edge=edge))
        for kind, fill in KINDS.items():
            fix, made = fix_of(bench, Plan(edge, Match(), "fill", fill=fill))
            target = TARGETS[name].get(kind, "")
            yield f"| {name} | {kind} | {row_of(bench, fix, made).words()} | {target} |"
        for label, way in (("cv2 NS", cv2.INPAINT_NS), ("cv2 Telea", cv2.INPAINT_TELEA)):
            mean, worst, _ = scored(bench, inpainted(bench, edge, way))
            floor = scored(bench, _floor(bench, fix))[0]
            yield f"| {name} | peer: {label} | {mean - floor:.2f} | {worst - floor:.2f} | | | | | |"


HEAD = "| shot | way | dE over the floor | worst frame | texture / truth | flicker / ring | ms to make | ms a frame | target |"


def sources(var: Path) -> None:
    """Print the table."""
    print(HEAD + "\n|" + "---|" * 9)
    for part in (on_the_surface,):
        for line in part(var):
            print(line, flush=True)
