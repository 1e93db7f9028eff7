"""Footage: what reading costs against the bare libraries, proxies, memory whatever a shot's size, and damaged files."""

import json
import multiprocessing
import os
import resource
import statistics
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import OpenImageIO as oiio

from hushcore.arrays import Codes
from hushcore.colour.encoding import Encoding, spread
from hushcore.colour.looks import baked, default_look
from hushcore.errors import HushError
from hushcore.media.footage import open_footage
from hushcore.media.pictures import read_codes, write_codes

WIDE, HIGH = 1920, 1080
ROUNDS = 9
MUTANTS = 2400
JPEG = [cv2.IMWRITE_JPEG_QUALITY, 92, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]


def _picture(wide: int, high: int, seed: int = 1) -> Codes:
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:high, 0:wide]
    soft = 20000 + 14000 * np.sin(x / 190) + 9000 * np.cos(y / 140)
    return np.clip(soft[..., None] + rng.normal(0, 500, (high, wide, 3)), 0, 65535).astype(np.uint16)


def _write(path: Path, codes: Codes, bits: int = 16, **more: str) -> None:
    spec = oiio.ImageSpec(
        codes.shape[1], codes.shape[0], 3, {"float16": "half"}.get(str(codes.dtype), str(codes.dtype))
    )
    spec["oiio:BitsPerSample"] = bits
    for name, value in more.items():
        spec[name] = value
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), spec)
    out.write_image(codes)
    out.close()


def _movie(path: Path, codec: str, pix_fmt: str, count: int, size: tuple[int, int], options: dict[str, str]) -> Path:
    codes = _picture(*size)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=Fraction(24), options=options)
        stream.width, stream.height, stream.pix_fmt = *size, pix_fmt
        for index in range(count):
            frame = av.VideoFrame.from_ndarray(np.roll(codes, index * 5, 1), "rgb48le").reformat(format=pix_fmt)
            frame.pts, frame.time_base = index, Fraction(1, 24)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def _pairs(ours: Callable[[int], object], bare: Callable[[int], object]) -> tuple[float, float]:
    """Median milliseconds of each, taken in turns, after a first round that does not count."""
    times: tuple[list[float], list[float]] = ([], [])
    for k in range(ROUNDS + 1):
        for which, do in enumerate((ours, bare)):
            began = time.perf_counter()
            do(k)
            if k:
                times[which].append(1000 * (time.perf_counter() - began))
    return statistics.median(times[0]), statistics.median(times[1])


def _bare_picture(path: Path, kind: str) -> object:
    found = oiio.ImageInput.open(str(path))
    read = found.read_image(kind)
    found.close()
    return read


def media(var: Path) -> None:
    """Reading, proxies, memory."""
    with tempfile.TemporaryDirectory() as name:
        _reading(Path(name))
        _proxies(Path(name))
    _memory()


def _reading(folder: Path) -> None:
    sixteen = _picture(WIDE, HIGH)
    ten = spread(sixteen >> 6, 10, np.dtype("uint16"))
    half = (sixteen / 65535).astype(np.float16)
    kinds = [
        ("DPX 10 bit", folder / "a.dpx", ten, 10, {}, "uint16"),
        ("EXR half, ZIP", folder / "z.exr", half, 16, {"compression": "zip"}, "half"),
        ("EXR half, PIZ", folder / "p.exr", half, 16, {"compression": "piz"}, "half"),
        ("TIFF 16, none", folder / "n.tif", sixteen, 16, {"compression": "none"}, "uint16"),
        ("TIFF 16, ZIP", folder / "z.tif", sixteen, 16, {"compression": "zip"}, "uint16"),
        ("PNG 16", folder / "a.png", sixteen, 16, {}, "uint16"),
    ]
    print("\n| reading 1920 x 1080 | ours, ms | bare library, ms | ratio (target 1.2) |\n|---|---|---|---|")
    for words, path, codes, bits, more, kind in kinds:
        _write(path, codes, bits, **more)
        ours, bare = _pairs(lambda k, p=path: read_codes(p), lambda k, p=path, t=kind: _bare_picture(p, t))
        print(f"| {words} | {ours:.0f} | {bare:.0f} | {ours / bare:.2f} |")
    for words, codec, pix_fmt, options in (
        ("ProRes 4:2:2 10 bit", "prores_ks", "yuv422p10le", {}),
        ("H.264 4:2:0 8 bit", "libx264", "yuv420p", {"preset": "veryfast"}),
        ("FFV1 4:2:2 10 bit", "ffv1", "yuv422p10le", {"g": "1", "slices": "8"}),
    ):
        path = _movie(
            folder / f"{codec}.{'mkv' if codec == 'ffv1' else 'mov'}", codec, pix_fmt, ROUNDS + 2, (WIDE, HIGH), options
        )
        clip = open_footage(path)
        peer = av.open(str(path))
        peer.streams.video[0].thread_type = "AUTO"
        peer.streams.video[0].codec_context.thread_count = 2
        frames = peer.decode(video=0)
        ours, bare = _pairs(clip.read, lambda k, f=frames: next(f).to_ndarray(format="rgb48le"))
        print(f"| {words}, to RGB 16 | {ours:.0f} | {bare:.0f} | {ours / bare:.2f} |")


def _proxies(folder: Path) -> None:
    """Frames a second of two processes: ours (read, scale, look, JPEG) against decode and scale with the bare libraries."""
    rows = []
    clips = []
    (folder / "s").mkdir()
    ten = spread(_picture(WIDE, HIGH) >> 6, 10, np.dtype("uint16"))
    for k in range(24):
        _write(folder / "s" / f"s.{k:04d}.dpx", ten, 10)
    clips.append(("DPX 10 bit, ACEScct view", folder / "s", "acescct"))
    clips.append(
        (
            "ProRes 4:2:2, as it is",
            _movie(folder / "pr.mov", "prores_ks", "yuv422p10le", 24, (WIDE, HIGH), {}),
            "bt1886",
        )
    )
    for words, place, space in clips:
        with multiprocessing.get_context("fork").Pool(2) as pool:
            jobs = [(str(place), space, range(k * 12, k * 12 + 12)) for k in range(2)]
            took = {}
            for name, do in (("warm", _proxy_chunk), ("ours", _proxy_chunk), ("bare", _bare_chunk)):
                began = time.perf_counter()
                pool.map(do, jobs)
                took[name] = 24 / (time.perf_counter() - began)
        rows.append((words, took["ours"], took["bare"]))
    print(
        "\n| proxies of 1080p, two processes | ours, f/s | decode and scale alone, f/s | ratio (target .8) |\n|---|---|---|---|"
    )
    for words, ours, bare in rows:
        print(f"| {words} | {ours:.1f} | {bare:.1f} | {ours / bare:.2f} |")


def _scaled(codes: Codes) -> Codes:
    return cv2.resize(codes, (1280, 720), interpolation=cv2.INTER_AREA)


def _proxy_chunk(job: tuple[str, str, range]) -> None:
    cv2.setNumThreads(1)
    place, space, frames = job
    clip = open_footage(Path(place))
    encoding = Encoding(space, 10)
    look = baked(default_look(encoding), encoding)
    for frame in frames:
        picture = look.show8(_scaled(clip.read(frame)))
        cv2.imencode(".jpg", picture[..., ::-1], JPEG)


def _bare_chunk(job: tuple[str, str, range]) -> None:
    cv2.setNumThreads(1)
    place, _, frames = job
    if place.endswith(".mov"):
        with av.open(place) as container:
            container.streams.video[0].thread_type = "AUTO"
            for index, frame in enumerate(container.decode(video=0)):
                if index in frames:
                    _scaled(frame.to_ndarray(format="rgb48le"))
        return
    for frame in frames:
        found = oiio.ImageInput.open(f"{place}/s.{frame:04d}.dpx")
        _scaled(np.asarray(found.read_image("uint16")))
        found.close()


def _memory() -> None:
    """The most that a process held (resident) while it read and showed a whole shot, above what it held before."""
    print("\n| memory of one process | frames | MB above an idle one |\n|---|---|---|")
    for words, size, count in (("long: 640 x 360", (640, 360), 2000), ("large: 4096 x 2160", (4096, 2160), 24)):
        with tempfile.TemporaryDirectory() as name, multiprocessing.get_context("fork").Pool(1) as pool:
            codes = _picture(*size)
            write_codes(Path(name) / "a.0001.tif", codes)
            for k in range(2, count + 1):
                os.link(Path(name) / "a.0001.tif", Path(name) / f"a.{k:04d}.tif")
            print(f"| {words} | {count} | {pool.apply(_show_all, (name,)):.0f} |")


def _show_all(place: str) -> float:
    clip = open_footage(Path(place))
    encoding = Encoding("acescct")
    look = baked(default_look(encoding), encoding)
    look.show8(np.zeros((8, 8, 3), np.uint16))
    before = _resident()
    most = before
    for frame in clip.frames:
        look.show8(_scaled(clip.read(frame)))
        most = max(most, _resident())
    return (most - before) / 1e6


def _resident() -> int:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()


def fuzz(var: Path) -> None:
    """Thousands of damaged files of every kind through the readers; each must be read or refused in words."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        seeds = _seeds(folder)
        outcomes: dict[str, Counter[str]] = {path.name: Counter() for path in seeds}
        bad: list[str] = []
        todo = [(str(seeds[k % len(seeds)]), k) for k in range(MUTANTS)]
        while todo:
            done = _batch(todo[:60], folder)
            for (path, k), outcome in zip(todo, done, strict=False):
                outcomes[Path(path).name][outcome.split(":")[0]] += 1
                if outcome.startswith("crash"):
                    bad.append(f"{Path(path).name} {k} {outcome}")
            todo = todo[max(1, len(done)) :]
    print(
        f"\n| {MUTANTS} damaged files | read all the same | refused in words | other exception | crashed or hung |\n|---|---|---|---|---|"
    )
    for name, counts in outcomes.items():
        print(f"| {name} | {counts['read']} | {counts['refused']} | {counts['other']} | {counts['crash']} |")
    for line in bad[:20]:
        print(line)


def _seeds(folder: Path) -> list[Path]:
    codes = _picture(96, 54)
    half = (codes / 65535).astype(np.float16)
    _write(folder / "a.tif", codes, compression="zip")
    _write(folder / "b.png", codes)
    _write(folder / "c.dpx", spread(codes >> 6, 10, np.dtype("uint16")), 10)
    _write(folder / "d.exr", half, compression="piz")
    _write(folder / "e.exr", half, compression="zip")
    cv2.imwrite(str(folder / "f.jpg"), (codes >> 8).astype(np.uint8))
    _movie(folder / "g.mov", "prores_ks", "yuv422p10le", 5, (96, 54), {})
    _movie(folder / "h.mp4", "libx264", "yuv420p", 8, (96, 54), {})
    _movie(folder / "i.mkv", "ffv1", "yuv422p10le", 5, (96, 54), {"g": "1"})
    _movie(folder / "j.mp4", "libx265", "yuv420p10le", 5, (96, 54), {"x265-params": "log-level=none"})
    return sorted(folder.iterdir())


def _mutant(seed: bytes, rng: np.random.Generator) -> bytes:
    data = bytearray(seed)
    way = rng.integers(0, 5)
    if way == 0:  # cut short
        return bytes(data[: rng.integers(0, len(data))])
    if way == 1:  # a part taken out or doubled
        a, b = sorted(rng.integers(0, len(data), 2))
        return bytes(data[:a] + (data[a:b] * 2 if rng.random() < 0.5 else b"") + data[b:])
    head = len(data) if way == 2 else min(len(data), 600)  # anywhere, or in the header
    for at in rng.integers(0, head, rng.integers(1, 24)):
        data[at] = rng.choice([0, 255, 127, data[at] ^ (1 << rng.integers(0, 8)), rng.integers(0, 256)])
    return bytes(data)


def _batch(jobs: list[tuple[str, int]], folder: Path) -> list[str]:
    """Outcomes in a child process; a crash ends the list at the file that did it."""
    here, there = multiprocessing.get_context("fork").Pipe(duplex=False)
    child = multiprocessing.get_context("fork").Process(target=_child, args=(jobs, folder, there))
    child.start()
    there.close()
    done: list[str] = []
    while True:
        if not here.poll(30):
            child.kill()
            done.append("crash: hung for 30 s")
            break
        try:
            done.append(here.recv())
        except EOFError:
            child.join()
            if child.exitcode:
                done.append(f"crash: exit {child.exitcode}")
            break
    return done


def _child(jobs: list[tuple[str, int]], folder: Path, out) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (6_000_000_000, 6_000_000_000))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    for path, k in jobs:
        seed = Path(path)
        place = folder / f"m{k}" / f"x.0001{seed.suffix}"
        place.parent.mkdir(exist_ok=True)
        place.write_bytes(_mutant(seed.read_bytes(), np.random.default_rng(k)))
        try:
            clip = open_footage(place)
            for frame in list(clip.frames)[:8]:
                clip.read(frame)
            out.send("read")
        except HushError:
            out.send("refused")
        except Exception as error:
            out.send("other: " + json.dumps(repr(error))[:200])
            print(seed.name, k, repr(error)[:160])
        place.unlink()
    out.close()
