"""Render the demo footage with its exact truth.

    python -m demo.render --media DIR --truth DIR [--workers K] [--only SHOT ... [--frames FIRST-LAST]]

Writes ``apron/apron.####.tif`` (16-bit, sRGB), ``wall/wall.#######.dpx`` (10-bit, ACEScct, 25 frames a second),
``jug/jug.mov`` (10-bit 4:2:2, BT.709, 23.976), ``arm/arm.####.exr`` (half float, linear BT.709), ``bust/bust.mov``
(8-bit 4:2:0 H.264) and ``yard/yard.mov`` (10-bit 4:2:2), and beside them, in the truth folder that the product never reads:
``clean/`` (no mark, no grain), ``clean_grain/`` (no mark, other grain of the same kind; apron only), ``bare/`` (nobody
passes either; yard only) and ``truth.npz`` (positions and visibility of an 8 px grid of the anchor pose on every frame).
"""

import argparse
import hashlib
import multiprocessing
import os
import shutil
import signal
import sys
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from demo import apron, arm, bust, cloth, files, jug, raster, sensor, wall, yard, yard_maps
from demo.noise import F32

Job = tuple[int, int, str, str]  # frame, seed, folder of the footage, folder of the truth


def _render_apron(job: Job) -> int:
    frame, seed, media, truth = job
    marked, clean = cloth.render_linear(cloth.make_scene(seed), float(frame))
    field = sensor.grain_field(marked.shape, frame * 1000 + seed)
    other = np.roll(field, (211, 397), (0, 1))  # far enough to be other grain
    name = f"apron.{frame:04d}.tif"
    files.write_tiff(Path(media) / name, _grained(marked, field), "zip:2")
    files.write_tiff(Path(truth) / "clean" / name, sensor.quantise(sensor.encode(clean)), "none")
    files.write_tiff(Path(truth) / "clean_grain" / name, _grained(clean, other), "none")
    return frame


def _grained(linear: F32, field: F32) -> NDArray[np.uint16]:
    return sensor.quantise(sensor.encode(sensor.add_grain(linear, field)))


def _render_wall(job: Job) -> int:
    frame, seed, media, truth = job
    marked, clean = wall.render(frame, seed)
    seen = sensor.add_grain(marked, sensor.grain_field(marked.shape, frame * 1000 + seed))
    code, name = files.timecode(frame, wall.RATE), f"wall.{frame:07d}.dpx"
    files.write_dpx(Path(media) / name, sensor.encode_acescct(seen), wall.RATE, code)
    files.write_dpx(Path(truth) / "clean" / name, sensor.encode_acescct(clean), wall.RATE, code)
    return frame


def _render_movie(name: str, other: int, job: Job) -> int:
    """A frame of a video, kept until the movie is written; ``other``: so that its grain is not another shot's."""
    frame, seed, media, truth = job
    marked, clean = {"jug": jug, "bust": bust}[name].render(frame, seed)  # type: ignore[attr-defined]
    seen = sensor.add_grain(marked, sensor.grain_field(marked.shape, frame * 1000 + seed + other))
    np.save(Path(media) / f"{frame:04d}.npy", sensor.quantise(_bt1886(seen)))
    files.write_tiff(Path(truth) / "clean" / f"{name}.{frame:04d}.tif", sensor.quantise(_bt1886(clean)), "none")
    return frame


def _render_arm(job: Job) -> int:
    frame, seed, media, truth = job
    marked, clean = arm.render(frame, seed)
    field = sensor.grain_field(marked.shape, frame * 1000 + seed + 154)
    files.write_exr(Path(media) / f"arm.{frame:04d}.exr", sensor.add_grain(marked, field), arm.RATE)
    files.write_exr(Path(truth) / "clean" / f"arm.{frame:04d}.exr", clean, arm.RATE)
    return frame


def _render_yard(job: Job) -> int:
    frame, seed, media, truth = job
    marked, clean, bare = yard.render(frame, seed)
    seen = sensor.add_grain(marked, sensor.grain_field(marked.shape, frame * 1000 + seed + 308))
    np.save(Path(media) / f"{frame:04d}.npy", sensor.quantise(yard.overlaid(_bt1886(seen))))
    for folder, linear in (("clean", clean), ("bare", bare)):
        files.write_tiff(Path(truth) / folder / f"yard.{frame:04d}.tif", sensor.quantise(_bt1886(linear)), "none")
    return frame


def _bt1886(linear: F32) -> F32:
    """Display-referred video: V = L^(1/2.4) (ITU-R BT.1886)."""
    return np.asarray(np.clip(linear, 0, 1) ** np.float32(1 / 2.4), np.float32)


def _apron_truth(frames: list[int], workers: int) -> dict[str, NDArray[np.generic]]:
    """The apron's truth takes seconds a frame: made by all workers."""
    wanted = frames if apron.ANCHOR in frames else [*frames, apron.ANCHOR]
    parts = list(_in_processes(_truth_of, [wanted[k::workers] for k in range(workers)], workers))
    order = np.argsort(np.concatenate([part["frames"] for part in parts]))
    whole = {name: np.concatenate([part[name] for part in parts])[order] for name in ("frames", "positions", "visible")}
    return {**parts[0], **whole}


def _truth_of(frames: list[int]) -> dict[str, NDArray[np.generic]]:
    return cloth.make_truth(cloth.make_scene(1), frames)


@dataclass(frozen=True)
class Shot:
    """How a shot is rendered: the scene, the files whose code it stands on, a frame's work, the movie if it is one."""

    scene: ModuleType
    code: tuple[str, ...]
    frame: Callable[[Job], int]
    extra: tuple[str, ...] = ()
    movie: str = ""
    timecode: str = ""
    coded: bool = False
    before: Callable[[], object] | None = None
    truth: Callable[[list[int], int], dict[str, NDArray[np.generic]]] | None = None


SHOTS = {
    "apron": Shot(
        apron, ("apron", "cloth", "linen", "noise", "raster", "sensor", "shade"), _render_apron, ("clean_grain",),
        before=lambda: cloth.make_scene(1), truth=_apron_truth,
    ),
    "wall": Shot(wall, ("wall", "noise", "sensor"), _render_wall),
    "jug": Shot(jug, ("jug", "noise", "sensor"), partial(_render_movie, "jug", 77), movie="jug.mov", timecode="01:00:10:00"),
    "arm": Shot(arm, ("arm", "places", "noise", "sensor", "raster"), _render_arm),
    "bust": Shot(
        bust, ("bust", "places", "noise", "sensor", "raster"), partial(_render_movie, "bust", 231), movie="bust.mov",
        timecode="01:02:04:11", coded=True, before=bust.make_clay,
    ),
    "yard": Shot(
        yard, ("yard", "yard_maps", "walkers", "noise", "sensor"), _render_yard, ("bare",), "yard.mov", "10:04:31:20",
        before=yard_maps.make_maps,
    ),
}  # fmt: skip


def fingerprint(*names: str) -> str:
    """Digest of a scene's code: its footage is rendered again only when that changes."""
    digest = hashlib.sha256()
    for name in names:
        digest.update((Path(__file__).parent / f"{name}.py").read_bytes())
    return digest.hexdigest()[:16]


Stretch = tuple[int, int]  # the first and the last frame


def render_all(
    media: Path, truth: Path, workers: int, names: Iterable[str] = tuple(SHOTS), stretch: Stretch | None = None
) -> list[str]:
    """The demo's footage, or a stretch of the shots named; returns the names of what was rendered now.

    Forks: call it from a process without threads of its own (``python -m demo.render``).
    """
    return [name for name in names if render_shot(name, SHOTS[name], media, truth, workers, stretch)]


def render_shot(name: str, shot: Shot, media: Path, truth: Path, workers: int, stretch: Stretch | None = None) -> bool:
    """One shot, or a stretch of one, unless it is already there; returns whether anything was rendered.

    A movie of a stretch begins with the stretch's first frame: ``stretch_of`` says which that is.
    """
    scene: Any = shot.scene
    first, last = stretch or (scene.FIRST, scene.FIRST + scene.COUNT - 1)
    footage, exact = media / name, truth / name
    growing = media / f".{name}.part"  # what is there by its own name is whole
    stamp = exact / "rendered.txt"
    code = fingerprint(*shot.code)
    if footage.exists() and any(footage.iterdir()) and _is_there(stamp, code, first, last):
        return False
    stamp.unlink(missing_ok=True)
    kept = exact / "kept"  # a movie's frames until it is written
    for folder in (growing, exact / "clean", *(exact / more for more in shot.extra), kept):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
    if shot.before is not None:
        shot.before()  # made once, before the processes fork
    frames = list(range(first, last + 1))
    place = kept if shot.movie else growing
    _render_frames(name, shot.frame, [(frame, 1, str(place), str(exact)) for frame in frames], workers)
    if shot.movie:
        files.write_movie(growing / shot.movie, kept, frames, scene.RATE, shot.timecode, shot.coded)
    shutil.rmtree(kept)
    found = scene.truth(frames) if shot.truth is None else shot.truth(frames, workers)
    np.savez_compressed(exact / "truth.npz", **found)
    shutil.rmtree(footage, ignore_errors=True)
    growing.rename(footage)
    stamp.write_text(f"{code} frames {first}-{last}")
    return True


def _is_there(stamp: Path, code: str, first: int, last: int) -> bool:
    """Whether what was rendered last is of this code and reaches over these frames."""
    made = stamp.read_text().split() if stamp.exists() else []
    if len(made) != 3 or made[0] != code or "-" not in made[2]:
        return False
    start, end = _stretch(made[2])
    return start <= first and last <= end


def stretch_of(truth: Path, name: str) -> Stretch:
    """The first and the last frame of a shot that are rendered."""
    return _stretch((truth / name / "rendered.txt").read_text().split()[2])


def _render_frames(name: str, one: Callable[[Job], int], jobs: Sequence[Job], workers: int) -> None:
    # the renderer's inner loop is compiled before the processes fork
    raster.draw_grid(np.ones((2, 2, 3)), np.ones((2, 2, 1), np.float32), (0, 0), *raster.empty_buffers(1))
    end = "\r" if sys.stderr.isatty() else "\n"
    for done, _ in enumerate(_in_processes(one, jobs, workers), 1):
        if sys.stderr.isatty() or done % 24 == 0:
            print(f"  {name}: {done} of {len(jobs)} frames", end=end, file=sys.stderr)


def _in_processes(one: Callable[[Any], Any], jobs: Sequence[Any], workers: int) -> Iterator[Any]:
    """What ``one`` makes of each job, as they get done; a process that dies raises, and none is waited for in vain.

    Not a ``multiprocessing.Pool``: it ends its processes with SIGTERM, and one that had taken over our handler of it just
    before it began to wait for work waited for ever, and so did the pool.
    """
    own = (signal.SIGTERM, signal.SIG_DFL)
    pool = ProcessPoolExecutor(workers, multiprocessing.get_context("fork"), signal.signal, own)
    try:
        for future in as_completed([pool.submit(one, job) for job in jobs]):
            if ENDING.is_set():
                sys.exit(0)
            yield future.result()
    finally:
        pool.shutdown(cancel_futures=True)


def _stretch(words: str) -> Stretch:
    first, last = map(int, words.split("-"))
    return first, last


ENDING = threading.Event()


def _end(*_: object) -> None:
    """Ends it now, or, where what is raised here is swallowed (in a callback of the compiler of inner loops), after a frame."""
    ENDING.set()
    sys.exit(0)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--media", type=Path, required=True)
    parser.add_argument("--truth", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--only", nargs="+", choices=list(SHOTS), default=list(SHOTS), help="Shots to render (all).")
    parser.add_argument("--frames", type=_stretch, help="Only these: FIRST-LAST.")
    options = parser.parse_args()
    signal.signal(signal.SIGTERM, _end)  # so that the processes of the pool end too
    done = render_all(options.media, options.truth, options.workers, options.only, options.frames)
    print(f"Rendered {', '.join(done)}." if done else "The demo's footage is there already.")


if __name__ == "__main__":
    main()
