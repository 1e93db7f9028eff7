"""Calibration of the tells: known errors put into a right patch on the demo's shots, and what each tell says of them."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench import match
from hushcore.arrays import Codes
from hushcore.patch.fix import Fix
from hushcore.patch.lay import Laid, lay, mix
from hushcore.patch.plan import Match
from hushcore.tells.measure import NAMES, judge

Gain = Callable[[int], float]
CASES: list[tuple[str, Match, Gain]] = [
    ("as it is", Match(), lambda _: 0.0),
    ("3 % brighter", Match(), lambda _: 0.03),
    ("5 % brighter", Match(), lambda _: 0.05),
    ("8 % brighter", Match(), lambda _: 0.08),
    ("3 % up and down", Match(), lambda frame: 0.03 * (-1) ** frame),
    ("the plate's own light", Match("off"), lambda _: 0.0),
    ("light from the rim", Match("rim"), lambda _: 0.0),
    ("no grain", Match(grain="off"), lambda _: 0.0),
    ("grain x 1.5", Match(grain_amount=1.5), lambda _: 0.0),
    ("texture x .5", Match(texture=0.5), lambda _: 0.0),
    ("texture x 1.5", Match(texture=1.5), lambda _: 0.0),
]


def brighter(codes: Codes, laid: Laid, fix: Fix, gain: float) -> Laid:
    """The laid patch with its light times 1 + gain."""
    if gain == 0:
        return laid
    base, made = (fix.encoding.decode(side[laid.rect.slices][..., :3]) for side in (codes, laid.codes))
    pure = base + (made - base) / np.maximum(laid.matte, 1e-3)[..., None]
    patched = mix(codes, laid.rect, pure * np.float32(1 + gain), laid.matte, fix.encoding)
    return replace(laid, codes=patched)


def tells(var: Path) -> None:
    """Print the table: mean over frames of each tell."""
    print("\n| shot | put in | " + " | ".join(NAMES) + " |\n|---|---|" + "---|" * len(NAMES))
    for case in match.cases():
        bench = match.ready(case, var)
        frames = [frame for frame in bench.frames[2::6] if bench.hold.has(frame - 1)]
        for words, asked, gain in CASES:
            fix, found = bench.fix(asked), []
            for frame in frames:
                remembered = None
                for number in (frame - 1, frame):
                    codes = bench.read(number)
                    patched = brighter(codes, lay(codes, number, fix), fix, gain(number))
                    told, remembered = judge(patched, number, fix, remembered)
                found.append(list(told.plain().values()))
            figures = " | ".join(f"{value:.2f}" for value in np.mean(found, 0))
            print(f"| {case.scene.name} | {words} | {figures} |", flush=True)
