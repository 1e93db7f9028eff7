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
from demo import arm, raster, yard
from demo.walkers import WALKERS
from hushcore.arrays import Codes, Rect
from hushcore.colour import difference
from hushcore.edge.matte import Edge
from hushcore.edge.outline import Nodes, Outline
from hushcore.fill.make import hole_of
from hushcore.fill.plan import Fill
from hushcore.hold.method import Method
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.media.pictures import read_codes
from hushcore.patch.evidence import gather
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import Laid, lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate, still_picture
from hushcore.recipe.build import with_base
from hushcore.retouch.soften import Soften
from hushcore.retouch.strokes import Donor, Stroke

PASSER = 2
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
    return make_fix(bench.hold, plan, based, evidence, None, bench.read, 0, donor), spent


def row_of(bench: Bench, fix: Fix, made: float) -> Row:
    """A fix over the shot's frames."""
    spent: list[float] = []
    mean, worst, _ = scored(bench, matching.laid_by(fix, spent))
    floor, _, _ = scored(bench, _floor(bench, fix))
    return Row(
        mean - floor,
        worst - floor,
        texture_of(bench, fix),
        flicker_of(bench, fix),
        made,
        1000 * float(np.median(spent)),
    )


def _floor(bench: Bench, fix: Fix) -> Callable[[Codes, int], Laid]:
    def made(codes: Codes, frame: int) -> Laid:
        return replace(
            lay(codes, frame, fix), codes=grainy(bench.case, clean_codes(bench.case, bench.var, frame), frame)
        )

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
        if a.shape != b.shape:  # a mark that stands lies on another part of the surface
            continue
        apart = b - a
        if ring.sum() > 400 and inside.sum() > 400:
            changes.append([float((apart[where] ** 2).mean()) for where in (inside, ring)])
    if not changes:
        return float("nan")
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


def overlay(var: Path) -> Iterator[str]:
    """The yard's overlay, which stands while the picture moves, from other frames."""
    case = matching.cases()[6]
    case = replace(case, scene=replace(case.scene, method=Method("planar")))
    bench = bench_of(case, var)
    plan = Plan(case.edge, Match(), "fill", stands=True, fill=Fill("other frames"))
    fix, made = fix_of(bench, plan)
    yield f"| yard, overlay | other frames | {row_of(bench, fix, made).words()} | .4 |"


def passer_box(frame: int) -> np.ndarray:
    """A rough box round the yard's third walker, frame px."""
    x0, z, pace, tall, *_ = WALKERS[PASSER]
    feet = np.array([x0 + pace * frame, yard.GROUND, z])
    box = np.array([[-52, 14, 0], [52, 14, 0], [52, -tall - 12, 0], [-52, -tall - 12, 0]], float)
    return np.asarray(yard.project(float(frame), feet + box))


def passer(var: Path) -> Iterator[str]:
    """Someone who passes, in a rough keyed box, taken off the yard's wall: against the wall with nobody there, the sign
    left out."""
    case = matching.cases()[5]
    keys = tuple((frame, Nodes.of(passer_box(frame))) for frame in range(yard.FIRST, yard.FIRST + yard.COUNT, 4))
    edge = Edge((Outline(keys),), 4, 10)
    bench = bench_of(case, var)
    plan = Plan(edge, Match(), "fill", stands=True, fill=Fill("other frames"))
    fix, made = fix_of(bench, plan)
    errors, floors, spent = [], [], []
    for frame in bench.frames:
        codes = bench.read(frame)
        began = time.perf_counter()
        laid = lay(codes, frame, fix)
        spent.append(1000 * (time.perf_counter() - began))
        y, x = np.mgrid[laid.rect.top : laid.rect.bottom, laid.rect.left : laid.rect.right]
        at = bench.hold.at(frame).forward(np.array([case.scene.centre], float))[0]
        inside = (laid.matte > 0.99) & (np.hypot(x - at[0], y - at[1]) > 190)
        if inside.sum() < 500:
            continue
        bare = read_codes(var / "truth" / "yard" / "bare" / case.clean.format(frame))
        sides = [
            matching.lab_of(case, side, laid.rect)[inside] for side in (laid.codes, bare, grainy(case, bare, frame))
        ]
        errors.append(float(difference.ciede2000(sides[0], sides[1]).mean()))
        floors.append(float(difference.ciede2000(sides[2], sides[1]).mean()))
    over = np.array(errors) - np.array(floors)
    yield (
        f"| yard, a passer-by | other frames | {over.mean():.2f} | {over.max():.2f} | | | "
        f"{made:.0f} | {np.median(spent):.0f} | .4 |"
    )


def borrowed(var: Path) -> Iterator[str]:
    """The arm's mole from a place beside: carried by its hold, and by a hold of the donor's own."""
    _, case, edge = holes()[1]
    bench = replace(bench_of(case, var), case=replace(case, edge=edge))
    offset = (46.0, 64.0)
    middle = np.array(edge.outlines[0].keys[0][1].points.mean(0)) + offset
    own = None
    ground = Ground.of([matching.circle(middle, 60)])
    clip = bench.clip
    for _, own in track(bench.read, ground, Method(), case.scene.anchor, clip.first, clip.last):  # type: ignore[attr-defined]
        pass
    ways = (
        ("borrow", Fill("borrow", offset=offset), None),
        ("borrow, from every frame", Fill("borrow", offset=offset, live=True), None),
        ("borrow, on a hold of its own", Fill("borrow", offset=offset), own),
    )
    for name, fill, donor in ways:
        fix, made = fix_of(bench, Plan(edge, Match(), "fill", fill=fill), donor)
        yield f"| skin, mole | {name} | {row_of(bench, fix, made).words()} | .8 |"


def retraced(var: Path) -> Iterator[str]:
    """The arm's scratch healed by eight strokes that are redone on every frame."""
    case = matching.cases()[1]
    turn = np.array([0.86, 0.51])
    steps = np.linspace(-2.1, 2.1, 41)
    along = arm.SCRATCH[0] + steps * turn[0]
    around = arm.SCRATCH[1] + steps * turn[1] / arm.GIRTH
    line = raster.project(arm.arm_points(along, around, float(arm.ANCHOR)))
    edge = Edge((Outline(((0, Nodes.of(line[::4])),), width=14.0),), 0, 4)
    bench = replace(bench_of(case, var), case=replace(case, edge=edge))
    across = np.array([-(line[-1] - line[0])[1], (line[-1] - line[0])[0]])
    offset = tuple(float(v) for v in 44 * across / np.linalg.norm(across))
    strokes = tuple(
        Stroke("heal", np.column_stack([part, np.ones(len(part))]), 15.0, 0.6, pressure="none", donor=Donor(offset))
        for part in (line[max(0, k - 1) : k + 6] for k in range(0, 40, 5))
    )
    fix, made = fix_of(bench, Plan(edge, Match(), "retrace", strokes=strokes))
    yield f"| skin, scratch | retrace, {len(strokes)} strokes | {row_of(bench, fix, made).words()} | .5 |"
    plate = make_plate(bench.read(bench.hold.anchor), bench.hold, bench.hold.anchor, list(strokes), None, case.encoding)
    fix, made = fix_of(bench, Plan(edge, Match()), plates=[(bench.hold.anchor, plate)])
    yield f"| skin, scratch | peer: the same strokes on one plate, replace | {row_of(bench, fix, made).words()} | |"


def evened(var: Path) -> Iterator[str]:
    """The arm's two creases evened: what is left of their contrast, of the texture, and of the tone beside them."""
    case = matching.cases()[1]
    around = np.linspace(1.15, 2.0, 24)
    lines = [raster.project(arm.arm_points(np.full(24, at), around, float(arm.ANCHOR))) for at in arm.CREASES]
    box = np.concatenate(lines)
    low, high = box.min(0) - 26, box.max(0) + 26
    edge = Edge.of(np.array([low, [high[0], low[1]], high, [low[0], high[1]]]), 0, 14)
    bench = replace(bench_of(case, var), case=replace(case, edge=edge))
    ground, clip = Ground.of([edge.outlines[0].keys[0][1].points]), bench.clip
    hold = None
    for _, hold in track(bench.read, ground, Method(), arm.ANCHOR, clip.first, clip.last):  # type: ignore[attr-defined]
        pass
    assert hold is not None
    bench = replace(bench, hold=hold)
    how = Soften(scale=10, amount=0.0, lines=1.0)
    fix, made = fix_of(bench, Plan(edge, Match(), "soften", soften=how))
    left, pores, tone, spent = [], [], [], []
    for frame in bench.frames:
        codes = bench.read(frame)
        began = time.perf_counter()
        laid = lay(codes, frame, fix)
        spent.append(1000 * (time.perf_counter() - began))
        if laid.seen is None or (laid.seen.spot.slant is not None and float(laid.seen.spot.slant.min()) < 0.1):
            continue
        rect, sure = laid.seen.spot.rect, laid.seen.spot.matte > 0.99
        still = [
            fix.encoding.tonal_of(np.maximum(still_picture(side, bench.hold, frame, rect, fix.encoding), 0)).mean(-1)
            for side in (codes, laid.codes)
        ]
        at = np.zeros(sure.shape, np.uint8)
        for line in lines:
            cv2.polylines(at, [np.rint(line - [rect.left, rect.top]).astype(np.int32).reshape(-1, 1, 2)], False, 1)
        far = cv2.distanceTransform(1 - at, cv2.DIST_L2, 5)
        left.append(_left(still, sure & (far < 12)))
        plain = sure & (fix.creases < 0.05)
        pores.append(_energy(still[1], plain, 0.01, 2.0) / _energy(still[0], plain, 0.01, 2.0))
        lab = [
            matching.lab_of(
                bench.case,
                still_picture(side, bench.hold, frame, rect, fix.encoding),
                Rect(0, 0, rect.width, rect.height),
            )
            for side in (codes, laid.codes)
        ]
        beside = sure & (far > 16) & (fix.creases < 0.01)
        tone.append(float(difference.ciede2000(lab[0][beside], lab[1][beside]).mean()))
    yield (
        f"| skin, creases | soften: ridge contrast left {np.mean(left):.2f} (target .20), texture {np.mean(pores):.3f} "
        f"(.95 to 1.05), tone beside {np.mean(tone):.2f} dE (.3) | | | | {flicker_of(bench, fix):.2f} | {made:.0f} | "
        f"{np.median(spent):.0f} | |"
    )


def _left(still: list[np.ndarray], near: np.ndarray) -> float:
    """How much of the creases' own profile is still there: the slope of after on before where they are darkest."""
    before, after = (cv2.GaussianBlur(luma, (0, 0), 2.0) - cv2.GaussianBlur(luma, (0, 0), 8.0) for luma in still)
    on = near & (before < np.percentile(before[near], 20))
    return float((before * after)[on].sum() / (before**2)[on].sum())


HEAD = "| shot | way | dE over the floor | worst frame | texture / truth | flicker / ring | ms to make | ms a frame | target |"
PARTS = {
    "surface": on_the_surface, "overlay": overlay, "passer": passer, "borrow": borrowed, "retrace": retraced,
    "soften": evened,
}  # fmt: skip


def sources(var: Path, only: str = "") -> None:
    """Print the table, or the part of it that is named."""
    print(HEAD + "\n|" + "---|" * 9)
    for name, part in PARTS.items():
        for line in part(var) if only in ("", name) else ():
            print(line, flush=True)
