"""The first retouch on the proving ground: how far what nobody painted is from the truth, beside the truth's own plate."""

from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from bench.proving.judge import Shot, evidence_of, fix_of, held, mean_error, plate_of
from hushcore.edge.matte import Edge
from hushcore.errors import HushError
from hushcore.fill.plan import Fill
from hushcore.hold.record import Hold
from hushcore.patch.evidence import gather
from hushcore.patch.fix import make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.patch.uncovered import uncovered_plates
from hushcore.plates.propose import first_retouch
from hushcore.tells.behind import from_behind
from hushcore.tells.measure import judge as tells_of


@dataclass(frozen=True)
class Retouched:
    """dE of the patch on the proposal and on the truth's plate with the same edge; whether it is quiet; ``words`` of it."""

    seed: int
    size: float
    error: float
    with_truth: float
    quiet: float
    words: str


def retouched(folder: Path) -> Retouched:
    """Propose and lay; without a proposal the figures are NaN."""
    shot = Shot(folder)
    loop = shot.outline()
    size = float(np.ptp(loop, axis=0).max())
    hold = held(shot, loop)
    if shot.stands:
        return _behind(shot, hold, loop, size)
    made = None
    with suppress(HushError):  # a hold that is lost gets none
        made = first_retouch(hold, shot.clip.read, loop, shot.encoding)
    if made is None:
        return Retouched(shot.drawn.seed, size, np.nan, np.nan, np.nan, "nothing proposed")
    found, bare = made
    first, *more = (Edge.of(outline, 0.0).outlines[0] for outline in found.outlines)
    edge = replace(Edge.of(found.outlines[0], 0.0), outlines=(first, *more))
    plan = Plan(edge, Match())
    errors, quiet = [], np.nan
    for one in (replace(bare, painted=found.picture), plate_of(shot, hold, edge)):
        evidence = evidence_of(shot, hold, plan, one)
        fix = fix_of(shot, hold, plan, one, evidence)
        errors.append(mean_error(shot, fix))
        if not errors[1:]:
            quiet = _quiet(shot, fix)
    return Retouched(shot.drawn.seed, size, errors[0], errors[1], quiet, found.words)


def _behind(shot: Shot, hold: Hold, loop: np.ndarray, size: float) -> Retouched:
    """A mark that stands in the frame, from other frames; the peer is the truth's own plate. What was not proposed is laid
    all the same, in brackets, to tell whether silence was right."""
    edge = Edge.of(loop, 0.0)
    plan = Plan(edge, Match(), stands=True)
    plate = plate_of(shot, hold, edge)
    peer = mean_error(shot, fix_of(shot, hold, plan, plate, evidence_of(shot, hold, plan, plate)))
    said = "from other frames"
    plan = replace(plan, source="fill", fill=Fill("other frames"))
    try:
        plates = uncovered_plates(hold, plan, shot.clip.read, shot.encoding)
    except HushError as problem:
        return Retouched(shot.drawn.seed, size, np.nan, peer, np.nan, problem.kind)
    evidence = gather(shot.clip.read, hold, edge, shot.encoding, plan, plates)
    fix = make_fix(hold, plan, plates, evidence, None, shot.clip.read, 0)
    error, quiet = mean_error(shot, fix), _quiet(shot, fix)
    if not from_behind(hold, shot.clip.read, edge, shot.encoding):
        return Retouched(shot.drawn.seed, size, np.nan, peer, quiet, f"nothing proposed ({said} {error:.2f})")
    return Retouched(shot.drawn.seed, size, error, peer, quiet, said)


def _quiet(shot: Shot, fix) -> float:  # type: ignore[no-untyped-def]
    """Share of frames on which no tell is noticeable."""
    told = []
    for frame in shot.frames[::3]:
        if fix.hold.has(frame):
            tells, _ = tells_of(lay(shot.clip.read(frame), frame, fix), frame, fix, None)
            told.append(all(value < 1 for value in tells.plain().values()))
    return float(np.mean(told)) if told else np.nan


def retouch(var: Path, seeds: list[int]) -> None:
    """Print the table."""
    from bench.proving.render import rendered

    print("| seed | size | proposed | truth's plate | frames quiet | how |\n|---|---|---|---|---|---|")
    rows = []
    for seed in seeds:
        row = retouched(rendered(seed, var))
        rows.append(row)
        print(
            f"| {row.seed} | {row.size:.0f} | {row.error:.2f} | {row.with_truth:.2f} | {row.quiet:.2f} | {row.words} |",
            flush=True,
        )
    over = np.array([row.error - row.with_truth for row in rows])
    print(
        f"over the truth's plate: median {np.nanmedian(over):.2f}, worst {np.nanmax(over):.2f}; proposed on {np.isfinite(over).sum()} of {len(rows)}"
    )
