"""What the product makes of a shot by default, against the truth."""

import hashlib
import json
import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from bench.proving import camera
from bench.proving.draw import Drawn, Overlay
from hushcore.arrays import F32, Codes, Rect
from hushcore.colour import difference
from hushcore.colour.encoding import Encoding
from hushcore.edge.matte import Edge
from hushcore.hold.in_frame import held_in_frame
from hushcore.hold.maps import dense_forward, dense_inverse
from hushcore.hold.mark import Mark
from hushcore.hold.record import Hold
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.media import yuv
from hushcore.media.footage import open_footage
from hushcore.media.movies import Movie
from hushcore.media.planes import to_codes
from hushcore.patch.evidence import gather
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import Laid, lay
from hushcore.patch.plan import Evidence, Match, Plan
from hushcore.plates.plate import Plate, make_plate
from hushcore.recipe.circle import GROUND_GROWTH, STANDING_GROWTH, WIDER_GROWTH
from hushcore.tells.behind import from_itself

EVERY = 3  # frames
LOOP = 4  # px that an artist's loop lies outside the mark
SEEN_LEAST = 150  # px of a mark that must show
IN_FRONT = 0.9
MODES = ("even", "slope", "rim", "under", "shine")


@dataclass
class Row:
    """Figures of a shot; see the table's head."""

    seed: int
    words: str
    hold: tuple[float, float, float] = (math.nan,) * 3
    error: float = math.nan
    floor: float = math.nan
    high: float = math.nan
    flicker: float = math.nan
    bands: tuple[float, float, float] = (math.nan,) * 3
    laplacian: float = math.nan
    seam: float = math.nan
    front: float = 0.0
    chose: str = ""
    modes: dict[str, float] = field(default_factory=dict)
    drift: tuple[float, float] = (math.nan, math.nan)
    seconds: float = 0.0
    grown: float = math.nan

    @property
    def over(self) -> float:
        """dE over the truth's own floor."""
        return self.error - self.floor

    @property
    def best(self) -> float:
        """dE of the best mode."""
        return min([self.error, *self.modes.values()])


class Shot:
    """A rendered shot with its truth."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        said = json.loads((folder / "shot.json").read_text())
        plain = dict(said["drawn"])
        plain["size"] = tuple(plain["size"])
        over = plain.pop("overlay", None)
        self.drawn = Drawn(**plain, overlay=None if over is None else Overlay(**over))
        self.words: str = said["words"]
        self.clip: Any = open_footage(folder / said["place"])
        self.other: Any = open_footage(folder / said["place"].replace("shot", "truth", 1))
        self.anchor: int = said["anchor"]
        self.encoding = Encoding(camera.SPACES[self.drawn.codec], self.clip.bits)
        known = np.load(folder / "truth.npz")
        self.masks, self.fronts, self.surfaces = (known[name] for name in ("masks", "fronts", "surfaces"))
        self.positions, self.visible, self.step = known["positions"], known["visible"], int(known["step"])
        self.exact = np.load(folder / "exact.npz")["exact"]

    @property
    def frames(self) -> list[int]:
        return list(range(self.clip.first, self.clip.last + 1))

    @property
    def stands(self) -> bool:
        return self.drawn.motion == "standing"

    def values(self, codes: Codes) -> F32:
        """The values that the files hold, as float."""
        return self.encoding.values(np.ascontiguousarray(codes[..., :3]))

    def light(self, codes: Codes) -> F32:
        """The light that codes truly stand for."""
        return camera.decode(self.drawn, self.values(codes))

    def mark(self, frame: int) -> np.ndarray:
        """Where the mark is seen (h, w)."""
        k = frame - self.clip.first
        shown = (self.masks[k] > 20) & (self.fronts[k] < 255 * IN_FRONT)
        return np.asarray(shown if self.stands else shown & self.surfaces[k])

    def outline(self) -> np.ndarray:
        """A loop (n, 2) round the mark on the anchor frame, as an artist would draw it."""
        mask = (self.masks[self.anchor - self.clip.first] > 20).astype(np.uint8)
        ys, xs = np.nonzero(mask)
        hull = cv2.convexHull(np.stack([xs, ys], -1).astype(np.float32))[:, 0, :].astype(float)
        return grown(hull, LOOP, self.drawn.size)


def grown(polygon: np.ndarray, by: float, size: tuple[int, int]) -> np.ndarray:
    """A convex polygon grown, kept in the frame."""
    turns = np.arange(24) * 2 * math.pi / 24
    disc = by * np.stack([np.cos(turns), np.sin(turns)], -1)
    points = (polygon[:, None] + disc[None]).reshape(-1, 2).astype(np.float32)
    hull = cv2.convexHull(points)[:, 0, :]
    return np.asarray(np.clip(hull, 1, [size[0] - 2, size[1] - 2]), float)


def judge(folder: Path, keep: Path | None = None, modes: bool = True) -> Row:
    """Hold, patch and measure a shot with the defaults. ``keep``: a folder for frames of a detector."""
    shot = Shot(folder)
    row = Row(shot.drawn.seed, shot.words)
    began = time.perf_counter()
    loop = shot.outline()
    edge = Edge.of(loop)
    bare = unveiled(shot, edge)
    if bare is not None:  # what is proposed by itself; nothing is held, and no retouch is asked for
        row.chose = f"unveiled, {100 * bare.evidence.veil.share:.0f} % passes"
        row.seconds = time.perf_counter() - began
        _picture_figures(shot, bare, row, keep)
        return row
    hold = held(shot, loop)
    _hold_figures(shot, hold, loop, row)
    plate = plate_of(shot, hold, edge)
    plan = Plan(edge, Match(), stands=shot.stands)
    evidence = evidence_of(shot, hold, plan, plate)
    fix = fix_of(shot, hold, plan, plate, evidence)
    row.chose = said(fix)
    row.seconds = time.perf_counter() - began
    _picture_figures(shot, fix, row, keep)
    if modes:
        for name in MODES:
            other = replace(plan, match=replace(plan.match, light=name))
            row.modes[name] = mean_error(shot, fix_of(shot, hold, other, plate, evidence))
        if not shot.stands:
            row.modes["lift"] = mean_error(shot, fix_of(shot, hold, replace(plan, source="lift"), plate, evidence))
        errors = []
        for growth in (3.0, 16.0):
            wide = replace(plan, edge=Edge.of(loop, growth))
            errors.append(mean_error(shot, fix_of(shot, hold, wide, plate_of(shot, hold, wide.edge), evidence)))
        row.grown = abs(errors[1] - errors[0])
    return row


def _hold_code() -> str:
    root = Path(__file__).resolve().parent.parent.parent / "hushcore"
    files = sorted([*(root / "hold").glob("*.py"), *(root / "geometry").glob("*.py")])
    return hashlib.sha256(b"".join(file.read_bytes() for file in files)).hexdigest()[:12]


def held(shot: Shot, loop: np.ndarray) -> Hold:
    """The product's own hold, as the loop proposes it; kept while the tracker's code stands."""
    kept = shot.folder / f"hold-{_hold_code()}-{hashlib.sha256(loop.tobytes()).hexdigest()[:8]}.json"
    if kept.exists():
        return Hold.of(json.loads(kept.read_text()))
    found = _held(shot, loop)
    kept.write_text(json.dumps(found.plain()))
    return found


def _held(shot: Shot, loop: np.ndarray) -> Hold:
    ground = Ground.of([grown(loop, STANDING_GROWTH if shot.stands else GROUND_GROWTH, shot.drawn.size).tolist()])
    if shot.stands:
        ground = replace(ground, stands=(loop,))
    found: Hold | None = None
    around = Ground.of([grown(loop, WIDER_GROWTH, shot.drawn.size).tolist()])
    mark = None if shot.stands else Mark(loop, around)
    for _, found in track(shot.clip.read, ground, "auto", shot.anchor, shot.frames[0], shot.frames[-1], mark):
        pass
    assert found is not None
    return found


def unveiled(shot: Shot, edge: Edge) -> Fix | None:
    """A mark that stands in the frame, taken off each frame's own picture; None where it cannot be by itself."""
    if not shot.stands:
        return None
    hold = held_in_frame(shot.frames, shot.anchor, shot.drawn.size)
    return from_itself(hold, shot.clip.read, edge, shot.encoding)


def evidence_of(shot: Shot, hold: Hold, plan: Plan, plate: Plate) -> Evidence:
    """What the shot says of itself."""
    return gather(shot.clip.read, hold, plan.edge, shot.encoding, plan, [(shot.anchor, plate)])


def fix_of(shot: Shot, hold: Hold, plan: Plan, plate: Plate, evidence: Evidence) -> Fix:
    """The fix, with the shot's own anchor as its plate."""
    return make_fix(hold, plan, [(shot.anchor, plate)], evidence, None, shot.clip.read, 0)


def said(fix: Fix) -> str:
    """What was decided, in short."""
    evidence = fix.evidence
    if evidence.choice is not None and evidence.choice.light != "auto":
        return evidence.choice.light
    return f"multiplies {evidence.multiplies:.2f}{', standing' if evidence.standing is not None else ''}"


def plate_of(shot: Shot, hold: Hold, edge: Edge) -> Plate:
    """The anchor frame with the mark painted out as it truly is, in grain of its own."""
    codes = np.array(shot.clip.read(shot.anchor))
    whole = Rect(0, 0, codes.shape[1], codes.shape[0])
    still = edge.matte(whole, shot.anchor)
    if not shot.stands:
        x, y = dense_inverse(hold.at(shot.anchor), whole)
        still = cv2.remap(still, x, y, cv2.INTER_LINEAR)
    painted = codes.copy()
    painted[still > 0] = shot.other.read(shot.anchor)[still > 0]
    return make_plate(codes, hold, shot.anchor, [], painted, shot.encoding)


def _hold_figures(shot: Shot, hold: Hold, loop: np.ndarray, row: Row) -> None:
    """RMS over the mark's seen points, 95th percentile, last frame; drift over the true error."""
    rows, cols = np.nonzero(np.ones(shot.positions.shape[1:3]))
    still = np.stack([cols, rows], -1) * float(shot.step)
    inside = np.array(
        [cv2.pointPolygonTest(loop.astype(np.float32), (float(x), float(y)), False) >= 0 for x, y in still]
    )
    if shot.stands:  # the surface round the mark is what counts
        inside = np.array(
            [cv2.pointPolygonTest(loop.astype(np.float32), (float(x), float(y)), True) > -24 for x, y in still]
        )
    errors, last, figures = [], 0.0, []
    for frame in shot.frames:
        if frame not in hold.frames:
            continue
        k = frame - shot.clip.first
        here = inside & shot.visible[k][rows, cols]
        if not here.any():
            continue
        miss = np.hypot(*(hold.at(frame).forward(still[here]) - shot.positions[k][rows, cols][here]).T)
        errors.append(miss)
        figures.append(hold.drift_at(frame, still[here]))
        if frame in (shot.frames[0], shot.frames[-1]):
            last = max(last, float(np.sqrt((miss**2).mean())))
    if not errors:
        return
    every, drift = np.concatenate(errors), np.concatenate(figures)
    row.hold = float(np.sqrt((every**2).mean())), float(np.percentile(every, 95)), last
    off = every > 0.5
    row.drift = (
        float((every < 2 * drift)[off].mean()) if off.any() else 1.0,
        float(np.median(drift / np.maximum(every, 0.02))),
    )


def _lab(light: F32) -> F32:
    return np.asarray(difference.linear_to_lab(cv2.GaussianBlur(np.maximum(light, 0), (0, 0), 2.0)), np.float32)


def _around(shot: Shot, laid: Laid, frame: int) -> tuple[slice, slice]:
    """The part of the frame that holds the patch and the mark, wherever the hold has put the one."""
    height, width = shot.masks.shape[1:]
    ys, xs = np.nonzero(shot.mark(frame))
    corners = [np.array([[xs.min(), ys.min()], [xs.max(), ys.max()]], float)]
    if not laid.rect.empty:
        corners.append(laid.rect.corners)
    return Rect.around(np.concatenate(corners)).grown(40).clipped(width, height).slices


def mean_error(shot: Shot, fix: Fix) -> float:
    means = []
    for frame in shot.frames[::EVERY]:
        if not fix.hold.has(frame) or shot.mark(frame).sum() < SEEN_LEAST:
            continue
        laid = lay(shot.clip.read(frame), frame, fix)
        at = _around(shot, laid, frame)
        here = shot.mark(frame)[at]
        exact = shot.exact[frame - shot.clip.first][at].astype(np.float32)
        apart = difference.ciede2000(_lab(shot.light(laid.codes[at])), _lab(exact))
        means.append(float(np.nanmean(apart[here])))
    return float(np.mean(means)) if means else math.nan


def _picture_figures(shot: Shot, fix: Fix, row: Row, keep: Path | None) -> None:
    """Everything that is seen in the patched pictures, frame by frame."""
    means, floors, every, bands, fine, seams, fronts = [], [], [], [], [], [], []
    before: list[F32] = []
    flick: list[list[float]] = [[], []]
    for frame in shot.frames:
        codes = shot.clip.read(frame)
        laid = lay(codes, frame, fix) if fix.hold.has(frame) else None
        if keep is not None:
            _keep(keep, shot, frame, codes if laid is None else _delivered(shot, frame, codes, laid.codes))
        if laid is None or shot.mark(frame).sum() < SEEN_LEAST:
            before = []
            continue
        at = _around(shot, laid, frame)
        here, k = shot.mark(frame)[at], frame - shot.clip.first
        exact = shot.exact[k][at].astype(np.float32)
        lights = {"patch": shot.light(laid.codes[at]), "truth": shot.light(shot.other.read(frame)[at])}
        clear = _lab(exact)
        lighter = {name: _lab(side) - clear for name, side in lights.items()}
        now = _still(shot, fix, frame, at, [lighter["patch"], lighter["truth"]], here)
        for k2, side in enumerate(now):
            if before:
                change = side - before[k2]
                if np.isfinite(change).sum() > SEEN_LEAST:
                    flick[k2].append(float(np.nanmean(change**2)))
        before = now
        in_front = shot.fronts[k][at] > 250
        if in_front.sum() > 50:
            change = _changed(shot, laid, frame, codes, at)[in_front]
            near = cv2.dilate((laid_matte(laid, at) > 0.01).astype(np.uint8), np.ones((3, 3), np.uint8))[in_front] > 0
            if near.sum() > 20:
                fronts.append(float(255 * change[near].mean()))
        if k % EVERY:
            continue
        apart = difference.ciede2000(clear + lighter["patch"], clear)[here]
        means.append(float(np.nanmean(apart)))
        every.append(apart[::5])
        floors.append(float(difference.ciede2000(clear + lighter["truth"], clear)[here].mean()))
        rim = (cv2.dilate(here.astype(np.uint8), np.ones((21, 21), np.uint8)) > 0) & ~here & ~in_front
        if rim.sum() > 50:
            seams.append(float(np.linalg.norm(cv2.GaussianBlur(lighter["patch"], (0, 0), 4.0)[rim], axis=-1).mean()))
        bands.append(_bands(shot, lights, exact, here))
        fine.append(_fine(shot, lights, exact, here))
    if not means:
        return
    row.error, row.floor = float(np.mean(means)), float(np.mean(floors))
    row.high = float(np.percentile(np.concatenate(every), 95))
    row.seam = float(np.mean(seams)) if seams else math.nan
    row.bands = tuple(float(np.sqrt(np.nanmedian(one))) for one in np.array(bands).T)  # type: ignore[assignment]
    row.laplacian = float(np.nanmedian(fine))
    row.front = float(np.mean(fronts)) if fronts else 0.0
    if flick[1]:
        row.flicker = float(np.sqrt(np.mean(flick[0]) / max(np.mean(flick[1]), 1e-9)))


def _changed(shot: Shot, laid: Laid, frame: int, codes: Codes, at: tuple[slice, slice]) -> F32:
    """By how much what is in front is not as it should be (values of 0..1): as shot; under a mark that stands in the frame,
    and lies over it, as in the truth, whose grain is its own."""
    patch = shot.values(laid.codes[at])
    if not shot.stands:
        return np.abs(patch - shot.values(codes[at]))
    truth = shot.values(shot.other.read(frame)[at])
    return np.asarray(np.abs(cv2.GaussianBlur(patch - truth, (0, 0), 2.0)), np.float32)


def _still(shot: Shot, fix: Fix, frame: int, at: tuple[slice, slice], sides: list[F32], here: np.ndarray) -> list[F32]:
    """L* by which pictures are off, low-passed, on the still surface (for a standing mark: in the frame); not a number
    where the mark is not seen."""
    low = [np.where(here, cv2.GaussianBlur(side[..., 0], (0, 0), 2.0), np.nan).astype(np.float32) for side in sides]
    if shot.stands:
        whole = []
        for side in low:
            full = np.full(shot.masks.shape[1:], np.nan, np.float32)
            full[at] = side
            whole.append(full)
        return whole
    x, y = dense_forward(fix.hold.at(frame), fix.rect)
    x, y = x - np.float32(at[1].start), y - np.float32(at[0].start)
    return [
        np.asarray(cv2.remap(side, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=math.nan))
        for side in low
    ]  # fmt: skip


def laid_matte(laid: Laid, at: tuple[slice, slice]) -> F32:
    """The matte over a part of the frame."""
    out = np.zeros((at[0].stop - at[0].start, at[1].stop - at[1].start), np.float32)
    if laid.rect.empty:
        return out
    top, left = laid.rect.top - at[0].start, laid.rect.left - at[1].start
    out[top : top + laid.matte.shape[0], left : left + laid.matte.shape[1]] = laid.matte
    return out


def _tonal(shot: Shot, light: F32) -> F32:
    return (
        camera.encode(shot.drawn, np.maximum(light, 0)).mean(-1)
        if shot.drawn.codec != "half"
        else np.asarray(np.cbrt(np.maximum(light, 0)).mean(-1), np.float32)
    )


def _bands(shot: Shot, lights: dict[str, F32], exact: F32, here: np.ndarray) -> list[float]:
    """Energy of the finest band and the next two, patch over truth."""
    out = []
    for fine, broad in ((0, 1), (1, 2), (2, 4)):
        both = []
        for side in lights.values():
            tonal = _tonal(shot, side)
            low = tonal if fine == 0 else cv2.GaussianBlur(tonal, (0, 0), fine)
            both.append(float(((low - cv2.GaussianBlur(tonal, (0, 0), broad))[here] ** 2).mean()))
        out.append(both[0] / max(both[1], 1e-12))
    return out


def _fine(shot: Shot, lights: dict[str, F32], exact: F32, here: np.ndarray) -> float:
    """Standard deviation of the Laplacian of patch less grainless truth, over that of the truth's own grain."""
    clear = _tonal(shot, exact)
    stds = [float(cv2.Laplacian(_tonal(shot, side) - clear, -1)[here].std()) for side in lights.values()]
    return stds[0] / max(stds[1], 1e-9)


def _delivered(shot: Shot, frame: int, codes: Codes, patched: Codes) -> Codes:
    """Patched codes as they are delivered: a movie's in its own samples."""
    if not isinstance(shot.clip, Movie):
        return patched
    planes, layout, rgb = shot.clip.planes(frame)
    if rgb or len(planes) < 3:
        return patched
    made = yuv.patched((planes[0], planes[1], planes[2]), layout, codes[..., :3], patched[..., :3])
    return to_codes(list(made), layout, rgb)


def _keep(folder: Path, shot: Shot, frame: int, codes: Codes) -> None:
    """Frames for a detector: masks, delivered, truth, surface."""
    k = frame - shot.clip.first
    wide = cv2.dilate(shot.masks[k], np.ones((9, 9), np.uint8)) if shot.masks[k].any() else shot.masks[k]
    sides = {"masks": wide, "surface": 255 * (shot.surfaces[k] & (shot.fronts[k] < 8)).astype(np.uint8)}
    for name, side in (("delivered", codes), ("truth", shot.other.read(frame))):
        tonal = np.clip(camera.encode(replace(shot.drawn, codec="tiff"), shot.light(side)), 0, 1)
        sides[name] = np.round(tonal[..., ::-1] * 65535).astype(np.uint16)
    for name, side in sides.items():
        (folder / name).mkdir(parents=True, exist_ok=True)
        cv2.imwrite(str(folder / name / f"shot.{frame:05d}.png"), side)


Maker = Callable[[Path], Row]
