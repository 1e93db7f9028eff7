"""The proving ground's table: a row a seed, medians, the worst of each, how often ``auto`` was the best."""

import math
import os
import shutil
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from bench.proving.judge import Row, judge
from bench.proving.render import rendered

HEAD = (
    "| seed | hold RMS / 95th / last px | dE over floor | 95th | flicker | bands | finest | seam | front | growth | chose | best of all | shot |\n"
    "|---|---|---|---|---|---|---|---|---|---|---|---|---|"
)


def proving(var: Path, seeds: Sequence[int], jobs: int = 1, modes: bool = True, keep: bool = False) -> list[Row]:
    """Render what is missing, judge every seed with the defaults, print the table."""
    print("\n" + HEAD, flush=True)
    work = [(seed, var, modes, keep) for seed in seeds]
    rows = []
    if jobs > 1:
        with ProcessPoolExecutor(jobs, mp_context=get_context("spawn")) as pool:
            for row in pool.map(_one, work):
                rows.append(row)
                print(line(row), flush=True)
    else:
        for item in work:
            rows.append(_one(item))
            print(line(rows[-1]), flush=True)
    print(summary(rows), flush=True)
    return rows


def _one(work: tuple[int, Path, bool, bool]) -> Row:
    import cv2

    seed, var, modes, keep = work
    cv2.setNumThreads(1)
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    folder = rendered(seed, var)
    frames = folder / "detector" if keep else None
    if frames is not None:
        shutil.rmtree(frames, ignore_errors=True)
    try:
        return judge(folder, frames, modes)
    except Exception as error:  # a shot that breaks the product is a row too
        from bench.proving.draw import draw

        return Row(seed, f"{draw(seed).words}: {type(error).__name__}: {error}")


def line(row: Row) -> str:
    """A row of the table."""
    best = min(row.modes, key=row.modes.__getitem__) if row.modes else ""
    other = f"{best} {row.modes[best] - row.floor:.2f}" if best else ""
    holds = " / ".join(f"{x:.2f}" for x in row.hold)
    bands = " / ".join(f"{x:.2f}" for x in row.bands)
    return (
        f"| {row.seed} | {holds} | **{row.over:.2f}** ({row.error:.2f}) | {row.high:.1f} | {row.flicker:.2f} | {bands} | "
        f"{row.laplacian:.2f} | {row.seam:.2f} | {row.front:.1f} | {row.grown:.2f} | {row.chose} | {other} | {row.words} |"
    )


def summary(rows: Sequence[Row]) -> str:
    """Medians and the worst of each figure."""
    good = [row for row in rows if not math.isnan(row.error)]
    if not good:
        return "nothing could be judged"

    def both(values: Sequence[float]) -> str:
        known = [v for v in values if not math.isnan(v)]
        return f"{np.median(known):.2f} / {max(known):.2f}" if known else "-"

    columns = {
        "hold RMS px": [r.hold[0] for r in good], "hold 95th": [r.hold[1] for r in good],
        "dE over the floor": [r.over for r in good], "95th percentile": [r.high for r in good],
        "flicker over the truth's": [r.flicker for r in good], "seam": [r.seam for r in good],
        "finest scale": [r.laplacian for r in good], "in front, codes of 255": [r.front for r in good],
        "growth 3 to 16": [r.grown for r in good],
    }  # fmt: skip
    said = ["\n| figure | median / worst |\n|---|---|"] + [f"| {name} | {both(v)} |" for name, v in columns.items()]
    far = [row.error / row.best - 1 for row in good if row.modes]
    if far:
        share = 100 * np.mean([x <= 0.05 for x in far])
        said.append(
            f"| default within 5 % of the best mode | {share:.0f} % of seeds, at most {100 * max(far):.0f} % off |"
        )
    finest = [r.laplacian for r in good if not math.isnan(r.laplacian)]
    said.append(
        f"| finest scale .95 to 1.07 | {100 * np.mean([0.95 <= x <= 1.07 for x in finest]):.0f} % of seeds, least {min(finest):.2f} |"
    )
    under = [r.drift[0] for r in good if not math.isnan(r.drift[0])]
    ratio = [r.drift[1] for r in good if not math.isnan(r.drift[1])]
    said.append(
        f"| drift: errors over .5 px under twice the figure; figure over error, median | {100 * np.mean(under):.0f} %, {np.median(ratio):.1f} |"
    )
    failed = [row for row in rows if math.isnan(row.error)]
    said += [f"| seed {row.seed} could not be judged | {row.words} |" for row in failed]
    return "\n".join(said)
