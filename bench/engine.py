"""The patch against the clean frames, and the cost of delivering."""

import math
import shutil
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np

from hushcore.colour import difference
from hushcore.colour.encoding import SRGB
from hushcore.deliver.frames import deliver_frame
from hushcore.deliver.proof import covered
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold
from hushcore.hold.still import Ground
from hushcore.hold.through import track
from hushcore.media.clips import Clip, open_clip
from hushcore.media.pictures import read_codes, write_like
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.lay import lay
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate

ANCHOR = 1049
CENTRE = np.array([558.0, 314.0])
GROUND, MARK = 130.0, 100.0  # px: what the product proposes for a loop round the crest, and the loop itself


def circle(radius: float) -> list[list[float]]:
    turns = np.arange(48) * 2 * math.pi / 48
    return [[CENTRE[0] + radius * math.cos(t), CENTRE[1] + radius * math.sin(t)] for t in turns]


def _fix(var: Path, clip: Clip, light: str, held: Hold) -> Fix:
    plate = make_plate(
        clip.read(ANCHOR), held, ANCHOR, [], read_codes(var / "truth" / "apron" / "clean" / f"apron.{ANCHOR}.tif")
    )
    return make_fix(held, Plan(Edge.of(np.array(circle(MARK)), 4, 12), Match(light)), [(ANCHOR, plate)])


def _held(clip: Clip) -> Hold:
    held = None
    for _, held in track(clip.read, Ground.of([circle(GROUND)]), "mesh", ANCHOR, clip.first, clip.last):
        pass
    assert held is not None
    return held


def patch(var: Path) -> None:
    """CIEDE2000 of patched frames inside the edge after a 2 px low-pass, with the truth's clean plate and our hold."""
    clip, truth = open_clip(var / "media" / "apron"), var / "truth" / "apron"
    held = _held(clip)
    frames = [n for n in range(clip.first, clip.last + 1, 3)]
    print("\n| light  | mean dE | worst frame | floor | unpatched | values changed outside | ms/frame |")
    print("|---|---|---|---|---|---|---|")
    for light in ("off", "even", "under"):
        fix, scores, outside, spent = _fix(var, clip, light, held), [], 0, 0.0
        for frame in frames:
            codes = clip.read(frame)
            began = time.perf_counter()
            laid = lay(codes, frame, fix)
            spent += time.perf_counter() - began
            outside += int((laid.codes != codes)[~covered(codes.shape, [laid])].sum())
            inside = laid.matte > 0.999

            def lab(picture: np.ndarray, where: np.ndarray = inside, rect=laid.rect) -> np.ndarray:
                low = cv2.GaussianBlur(SRGB.decode(picture), (0, 0), 2.0)
                return difference.linear_to_lab(low[rect.slices][where])

            clean = lab(read_codes(truth / "clean" / clip.file(frame)))
            grainy = lab(read_codes(truth / "clean_grain" / clip.file(frame)))
            scores.append([difference.ciede2000(side, clean).mean() for side in (lab(laid.codes), grainy, lab(codes))])
        mean = np.mean(scores, 0)
        worst, cost_ms = np.max(scores, 0)[0], 1000 * spent / len(frames)
        print(
            f"| {light:6} | {mean[0]:7.2f} | {worst:11.2f} | {mean[1]:5.2f} | {mean[2]:9.2f} | {outside:22} | {cost_ms:8.0f} |"
        )
    print("target: under at most floor + .25, and at least 3 times better than off; 0 values outside")


_work: dict[str, object] = {}


def _deliver(frame: int) -> int:
    return deliver_frame(_work["clip"], frame, [_work["fix"]], _work["folder"]).changed_outside  # type: ignore[arg-type]


def _copy(frame: int) -> int:
    clip, folder = _work["clip"], _work["folder"]
    assert isinstance(clip, Clip)
    assert isinstance(folder, Path)
    write_like(clip.path(frame), folder / clip.file(frame), clip.read(frame))
    return 0


def deliver(var: Path) -> None:
    """Delivering 96 frames with proof beside only reading and writing them, two processes each, turn and turn about."""
    import multiprocessing

    clip = open_clip(var / "media" / "apron")
    fix = _fix(var, clip, "under", _held(clip))
    cv2.setNumThreads(1)
    times: dict[str, list[float]] = {"copy": [], "deliver": []}
    for _ in range(2):
        for name, work in (("copy", _copy), ("deliver", _deliver)):
            folder = Path(tempfile.mkdtemp(dir=var))
            _work.update(clip=clip, fix=fix, folder=folder)
            began = time.perf_counter()
            with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("fork")) as pool:
                outside = sum(pool.map(work, clip.frames, chunksize=4))
            times[name].append(time.perf_counter() - began)
            shutil.rmtree(folder)
            assert outside == 0
    copy, made = (min(times[name]) for name in ("copy", "deliver"))
    print(
        f"\ndelivering {len(clip.frames)} frames, 2 processes: {made:.1f} s; only reading and writing: {copy:.1f} s; "
        f"ratio {made / copy:.2f} (target 1.5)"
    )
