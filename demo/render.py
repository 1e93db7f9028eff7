"""Render the demo footage with its exact truth.

    python -m demo.render --media DIR --truth DIR [--workers K]

Writes ``apron/apron.####.tif`` (16-bit, sRGB), ``wall/wall.#######.dpx`` (10-bit, ACEScct, 25 frames a second),
``jug/jug.mov`` (10-bit 4:2:2, BT.709, 23.976) and ``arm/arm.####.exr`` (half float, linear BT.709), and beside
them, in the truth folder that the product never reads:
``clean/`` (no mark, no grain), ``clean_grain/`` (no mark, other grain of the same kind; apron only) and ``truth.npz``
(positions and visibility of an 8 px grid of the anchor pose on every frame).
"""

import argparse
import hashlib
import multiprocessing
import os
import shutil
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from demo import apron, arm, jug, linen, raster, sensor, shade, wall
from demo.noise import fractal, smoothstep

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

SUBFRAMES = 5
MESH_STEP = 0.25
EXPOSURE = 0.92
SHUTTER = 0.5
GRID_STEP = 8
JITTER = [(-0.25, -0.17), (0.25, 0.17), (-0.42, 0.33), (0.08, -0.39), (0.42, -0.06)]


@dataclass(frozen=True)
class Scene:
    """All that stays the same through the shot."""

    seed: int
    folds: list[apron.Fold]
    maps: F32
    knit: F32
    backdrop: F32


@lru_cache(maxsize=2)
def make_scene(seed: int) -> Scene:
    """Textures and folds; seconds of work, kept for the process."""
    flat = linen.make_linen()
    maps = np.concatenate([flat.albedo, flat.height[..., None], flat.inside[..., None], flat.ink[..., None]], -1)
    knit = fractal((1001, 1001), 3.2, 5, 2)[..., None]
    return Scene(
        seed, apron.make_folds(seed), np.ascontiguousarray(maps, np.float32),
        np.ascontiguousarray(knit, np.float32), apron.make_backdrop(),
    )  # fmt: skip


def cloth_vertices(scene: Scene, time: float) -> F64:
    """The apron's mesh at ``time``: point (3), tangents (6) and openness per vertex."""
    u, v = apron.cloth_grid()
    raised = apron.fold_depth(scene.folds, u, v, time)
    points = apron.apron_points(u, v, time, scene.folds, scene.seed, raised)
    along_u = np.gradient(points, axis=1) / MESH_STEP
    along_v = np.gradient(points, axis=0) / MESH_STEP
    return np.concatenate([points, along_u, along_v, _openness(raised)[..., None]], -1)


def cloth_buffers(vertices: F64, jitter: tuple[float, float]) -> tuple[F32, F32]:
    """Depth and per-pixel (u, v, tangents, openness) of the apron's mesh."""
    u, v = apron.cloth_grid()
    values = np.concatenate([u[..., None], v[..., None], vertices[..., 3:]], -1)
    depth, buf = raster.empty_buffers(9)
    raster.draw_grid(vertices[..., :3], values.astype(np.float32), jitter, depth, buf)
    return depth, buf


def still_buffers(scene: Scene, frame: int) -> tuple[F32, F32]:
    """The apron's buffers at mid-shutter of a frame."""
    return cloth_buffers(cloth_vertices(scene, float(frame - apron.FIRST)), (0.0, 0.0))


def through_shutter(scene: Scene, frame: float) -> list[tuple[float, F64]]:
    """Sub-frame times and meshes; three exact instants, the rest by a parabola through them."""
    centre = frame - apron.FIRST
    early, mid, late = (cloth_vertices(scene, centre + step) for step in (-0.25, 0.0, 0.25))
    found = []
    for index in range(SUBFRAMES):
        x = 2 * ((index + 0.5) / SUBFRAMES - 0.5)
        mesh = mid + x / 2 * (late - early) + x * x / 2 * (early + late - 2 * mid)
        found.append((centre + SHUTTER / 2 * x, mesh))
    return found


def _openness(depth_of: F64) -> F64:
    """Ambient occlusion from how far a place lies under its surroundings (1 = open)."""
    around = depth_of.copy()
    for _ in range(40):
        around = (
            around + np.roll(around, 1, 0) + np.roll(around, -1, 0)
            + np.roll(around, 1, 1) + np.roll(around, -1, 1)
        ) / 5  # fmt: skip
    return np.asarray(np.clip(0.92 + 1.05 * (depth_of - around), 0.45, 1.0))


def _draw_shirt(scene: Scene, time: float, jitter: tuple[float, float], covered: Mask, picture: F32) -> None:
    light, strength, slope = apron.key_light(time, scene.seed)
    depth, buf = raster.empty_buffers(6)
    parts = [apron.shirt_points(time, scene.seed)]
    parts += [apron.sleeve_points(side, time, scene.seed) for side in (-1, 1)]
    for index, (points, flat) in enumerate(parts):
        along_x, along_y = np.gradient(points, axis=1), np.gradient(points, axis=0)
        normal = np.cross(along_y, along_x)
        shadow = _apron_shadow(flat) if index == 0 else 0.55 * (np.abs(flat[..., 0]) < 0)
        values = np.concatenate([flat, normal, shadow[..., None]], -1).astype(np.float32)
        raster.draw_grid(points, values, jitter, depth, buf)
    shade.shade_shirt(depth, buf, scene.knit, light, strength, slope, 0.8, covered, picture)


def _apron_shadow(flat: F64) -> F64:
    """Soft contact shade of the apron on the shirt, by distance outside the apron's outline."""
    inside = linen._outline(flat[..., 0].astype(np.float32), flat[..., 1].astype(np.float32))
    return np.asarray(np.exp(np.minimum(inside, 0) / 0.9), np.float64)


def render_linear(scene: Scene, frame: float) -> tuple[F32, F32]:
    """The frame with the mark and without it: linear light, averaged over the open shutter."""
    marked = np.zeros((raster.HEIGHT, raster.WIDTH, 3), np.float32)
    clean = np.zeros_like(marked)
    for (time, mesh), jitter in zip(through_shutter(scene, frame), JITTER, strict=True):
        picture = apron.sample_backdrop(scene.backdrop, time, jitter)
        other = picture.copy()
        covered = np.zeros(picture.shape[:2], np.bool_)
        light, strength, slope = apron.key_light(time, scene.seed)
        depth, buf = cloth_buffers(mesh, jitter)
        shade.shade_apron(
            depth, buf, scene.maps, linen.DENSITY, linen.U_MIN, linen.V_MIN, linen.INK_ALBEDO,
            light, strength, slope, picture, other, covered,
        )  # fmt: skip
        _draw_shirt(scene, time, jitter, covered, picture)
        shade.add_up(picture, other, covered, marked, clean)
    share = np.float32(EXPOSURE / SUBFRAMES)
    return marked * share, clean * share


def mark_coverage(scene: Scene, frame: int) -> F32:
    """Coverage of the printed crest (0..1) on a frame at mid-shutter."""
    depth, buf = still_buffers(scene, frame)
    u = ((buf[..., 0] - linen.U_MIN) * linen.DENSITY).astype(int).clip(0, scene.maps.shape[1] - 1)
    v = ((buf[..., 1] - linen.V_MIN) * linen.DENSITY).astype(int).clip(0, scene.maps.shape[0] - 1)
    return np.where(depth < raster.NOTHING, scene.maps[v, u, 5], 0).astype(np.float32)


def make_truth(scene: Scene, frames: list[int]) -> dict[str, NDArray[np.generic]]:
    """Positions (frames, rows, cols, 2) and visibility of the anchor pose's 8 px grid."""
    depth, buf = still_buffers(scene, apron.ANCHOR)
    ys, xs = np.mgrid[0 : raster.HEIGHT : GRID_STEP, 0 : raster.WIDTH : GRID_STEP]
    known = depth[ys, xs] < raster.NOTHING
    u, v = buf[ys, xs, 0].astype(np.float64), buf[ys, xs, 1].astype(np.float64)
    target = np.stack([xs, ys], -1).astype(np.float64)
    u, v = _refine(scene, u, v, target)
    known &= linen._outline(u.astype(np.float32), v.astype(np.float32)) > 0.05
    positions = np.zeros((len(frames), *u.shape, 2))
    visible = np.zeros((len(frames), *u.shape), bool)
    for index, frame in enumerate(frames):
        points = apron.apron_points(u, v, float(frame - apron.FIRST), scene.folds, scene.seed)
        positions[index] = raster.project(points)
        visible[index] = known & _seen(scene, frame, positions[index], points[..., 2])
    return {
        "frames": np.array(frames), "anchor": np.array(apron.ANCHOR), "step": np.array(GRID_STEP),
        "positions": positions.astype(np.float32), "visible": visible,
    }  # fmt: skip


def _refine(scene: Scene, u: F64, v: F64, target: F64) -> tuple[F64, F64]:
    """Newton steps that bring the projected (u, v) exactly onto the anchor's grid points."""
    time = float(apron.ANCHOR - apron.FIRST)
    for _ in range(5):
        at = raster.project(apron.apron_points(u, v, time, scene.folds, scene.seed))
        h = 1e-4
        du = (raster.project(apron.apron_points(u + h, v, time, scene.folds, scene.seed)) - at) / h
        dv = (raster.project(apron.apron_points(u, v + h, time, scene.folds, scene.seed)) - at) / h
        miss = target - at
        det = du[..., 0] * dv[..., 1] - du[..., 1] * dv[..., 0]
        det = np.where(np.abs(det) < 1e-3, 1e-3, det)
        u = u + np.clip((miss[..., 0] * dv[..., 1] - miss[..., 1] * dv[..., 0]) / det, -0.5, 0.5)
        v = v + np.clip((miss[..., 1] * du[..., 0] - miss[..., 0] * du[..., 1]) / det, -0.5, 0.5)
    return u, v


def _seen(scene: Scene, frame: int, pixels: F64, z: F64) -> NDArray[np.bool_]:
    """True where a point lies in the picture and in front of the rest of the cloth."""
    depth, _ = still_buffers(scene, frame)
    x, y = np.round(pixels[..., 0]).astype(int), np.round(pixels[..., 1]).astype(int)
    within = (x >= 0) & (y >= 0) & (x < raster.WIDTH) & (y < raster.HEIGHT)
    front = depth[y.clip(0, raster.HEIGHT - 1), x.clip(0, raster.WIDTH - 1)]
    return np.asarray(within & (z < front + 0.25))


def write_tiff(path: Path, codes: NDArray[np.uint16], compression: str) -> None:
    """One 16-bit RGB TIFF, tagged as sRGB at 24 frames a second."""
    height, width, channels = codes.shape
    spec = oiio.ImageSpec(width, height, channels, "uint16")
    spec["compression"] = compression
    spec["oiio:ColorSpace"] = "sRGB"
    spec["ImageDescription"] = "Ollowby Clay, spring film: apron"
    part = path.with_suffix(".part.tif")
    out = oiio.ImageOutput.create(str(part))
    if not out.open(str(part), spec) or not out.write_image(codes):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()
    os.replace(part, path)


def write_dpx(path: Path, encoded: F32, rate: tuple[int, int], timecode: str) -> None:
    """One 10-bit DPX (filled, method A). Values are rounded here: the library would cut them off."""
    codes = np.round(np.clip(encoded, 0, 1) * 1023).astype(np.uint16)
    spec = oiio.ImageSpec(codes.shape[1], codes.shape[0], 3, "uint16")
    spec["oiio:BitsPerSample"] = 10
    spec["FramesPerSecond"] = rate[0] / rate[1]
    spec["dpx:FrameRate"] = rate[0] / rate[1]
    spec["dpx:TimeCode"] = timecode
    spec["ImageDescription"] = "Ollowby Clay, spring film: wall, ACEScct"
    part = path.with_suffix(".part.dpx")
    out = oiio.ImageOutput.create(str(part))
    if not out.open(str(part), spec) or not out.write_image((codes << 6) | (codes >> 4)):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()
    os.replace(part, path)


def write_movie(path: Path, folder: Path, count: int, rate: tuple[int, int], timecode: str) -> None:
    """A 10-bit 4:2:2 ProRes movie, BT.709, of frames kept as 16-bit codes in ``folder``."""
    import av

    fraction = Fraction(*rate)
    part = path.with_name(f".{path.name}.part.mov")
    with av.open(str(part), "w") as container:
        stream = container.add_stream("prores_ks", rate=fraction, options={"profile": "3", "vendor": "apl0"})
        codec = stream.codec_context
        codec.width, codec.height, codec.pix_fmt = raster.WIDTH, raster.HEIGHT, "yuv422p10le"
        codec.color_range, codec.colorspace, codec.color_primaries, codec.color_trc = 1, 1, 1, 1
        stream.metadata["timecode"] = timecode
        for index in range(count):
            codes = np.load(folder / f"{index:04d}.npy")
            frame = av.VideoFrame.from_ndarray(codes, "rgb48le").reformat(format="yuv422p10le", dst_colorspace="ITU709")
            frame.pts, frame.time_base = index, 1 / fraction
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    os.replace(part, path)


def _bt1886(linear: F32) -> F32:
    """Display-referred video: V = L^(1/2.4) (ITU-R BT.1886)."""
    return np.asarray(np.clip(linear, 0, 1) ** np.float32(1 / 2.4), np.float32)


def _render_wall(job: tuple[int, int, str, str]) -> int:
    frame, seed, media, truth = job
    marked, clean = wall.render(frame, seed)
    field = sensor.grain_field(marked.shape, frame * 1000 + seed)
    code = _timecode(frame, wall.RATE)
    write_dpx(
        Path(media) / f"wall.{frame:07d}.dpx", sensor.encode_acescct(sensor.add_grain(marked, field)), wall.RATE, code
    )
    write_dpx(Path(truth) / "clean" / f"wall.{frame:07d}.dpx", sensor.encode_acescct(clean), wall.RATE, code)
    return frame


def _render_jug(job: tuple[int, int, str, str]) -> int:
    frame, seed, media, truth = job
    marked, clean = jug.render(frame, seed)
    field = sensor.grain_field(marked.shape, frame * 1000 + seed + 77)
    np.save(Path(media) / f"{frame:04d}.npy", sensor.quantise(_bt1886(sensor.add_grain(marked, field))))
    write_tiff(Path(truth) / "clean" / f"jug.{frame:04d}.tif", sensor.quantise(_bt1886(clean)), "none")
    return frame


def write_exr(path: Path, linear: F32, rate: tuple[int, int]) -> None:
    """One half-float OpenEXR picture of linear BT.709 light."""
    spec = oiio.ImageSpec(linear.shape[1], linear.shape[0], 3, "half")
    spec["compression"] = "zip"
    spec["FramesPerSecond"] = rate[0] / rate[1]
    spec["ImageDescription"] = "Ollowby Clay, spring film: arm, linear BT.709"
    part = path.with_suffix(".part.exr")
    out = oiio.ImageOutput.create(str(part))
    if not out.open(str(part), spec) or not out.write_image(linear):
        raise OSError(f"could not write {path.name}: {out.geterror()}")
    out.close()
    os.replace(part, path)


def _render_arm(job: tuple[int, int, str, str]) -> int:
    frame, seed, media, truth = job
    marked, clean = arm.render(frame, seed)
    field = sensor.grain_field(marked.shape, frame * 1000 + seed + 154)
    write_exr(Path(media) / f"arm.{frame:04d}.exr", sensor.add_grain(marked, field), arm.RATE)
    write_exr(Path(truth) / "clean" / f"arm.{frame:04d}.exr", clean, arm.RATE)
    return frame


def _timecode(frame: int, rate: tuple[int, int]) -> str:
    base = round(rate[0] / rate[1])
    seconds, part = divmod(frame, base)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{part:02d}"


def _render_frame(job: tuple[int, int, str, str]) -> int:
    frame, seed, media, truth = job
    scene = make_scene(seed)
    marked, clean = render_linear(scene, float(frame))
    field = sensor.grain_field(marked.shape, frame * 1000 + seed)
    other = np.roll(field, (211, 397), (0, 1))  # far enough to be other grain
    name = f"apron.{frame:04d}.tif"
    write_tiff(Path(media) / name, _grained(marked, field), "zip:2")
    write_tiff(Path(truth) / "clean" / name, sensor.quantise(sensor.encode(clean)), "none")
    write_tiff(Path(truth) / "clean_grain" / name, _grained(clean, other), "none")
    return frame


def _truth_of(job: tuple[int, list[int]]) -> dict[str, NDArray[np.generic]]:
    seed, frames = job
    return make_truth(make_scene(seed), frames)


def _joined(parts: list[dict[str, NDArray[np.generic]]]) -> dict[str, NDArray[np.generic]]:
    """Truth of some frames each, as one, in order of the frames."""
    order = np.argsort(np.concatenate([part["frames"] for part in parts]))
    whole = {name: np.concatenate([part[name] for part in parts])[order] for name in ("frames", "positions", "visible")}
    return {**parts[0], **whole}


def _grained(linear: F32, field: F32) -> NDArray[np.uint16]:
    return sensor.quantise(sensor.encode(sensor.add_grain(linear, field)))


def fingerprint(*names: str) -> str:
    """Digest of a scene's code: its footage is rendered again only when that changes."""
    digest = hashlib.sha256()
    for name in names:
        digest.update((Path(__file__).parent / f"{name}.py").read_bytes())
    return digest.hexdigest()[:16]


APRON_CODE = ("apron", "linen", "noise", "raster", "sensor", "shade")  # this file only brings scenes to disk


SHOTS = ("apron", "wall", "jug", "arm")


def render_all(media: Path, truth: Path, workers: int, names: Sequence[str] = SHOTS) -> list[str]:
    """The demo's footage, or the shots named; returns the names of what was rendered now.

    Forks: call it from a process without threads of its own (``python -m demo.render``).
    """
    scenes = {"wall": wall, "jug": jug, "arm": arm}
    done = []
    for name in names:
        if name == "apron":
            made = render_apron(media, truth, apron.COUNT, 1, workers)
        else:
            made = render_plain(name, scenes[name].COUNT, scenes[name].FIRST, media, truth, workers)
        if made:
            done.append(name)
    return done


def render_plain(name: str, count: int, first: int, media: Path, truth: Path, workers: int) -> bool:
    """The wall, the jug or the arm, unless it is already there."""
    shot, exact, scene = media / name, truth / name, {"wall": wall, "jug": jug, "arm": arm}[name]
    stamp = exact / "rendered.txt"
    code = (name, "noise", "sensor", *(("raster",) if name == "arm" else ()))
    tag = f"{fingerprint(*code)} frames {count}"
    if stamp.exists() and stamp.read_text() == tag and any(shot.iterdir()):
        return False
    kept = exact / "kept"
    for folder in (shot, exact / "clean", kept):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
    one = {"wall": _render_wall, "jug": _render_jug, "arm": _render_arm}[name]
    place = kept if name == "jug" else shot
    frames = list(range(first, first + count))
    with multiprocessing.get_context("fork").Pool(workers) as pool:
        for done, _ in enumerate(pool.imap_unordered(one, [(frame, 1, str(place), str(exact)) for frame in frames]), 1):
            if sys.stderr.isatty() or done % 24 == 0:
                print(f"  {name}: {done} of {count} frames", end="\r" if sys.stderr.isatty() else "\n", file=sys.stderr)
    if name == "jug":
        write_movie(shot / "jug.mov", kept, count, jug.RATE, "01:00:10:00")
    shutil.rmtree(kept)
    np.savez_compressed(exact / "truth.npz", **scene.truth(frames))  # type: ignore[attr-defined]
    stamp.write_text(tag)
    return True


def render_apron(media: Path, truth: Path, count: int, seed: int, workers: int) -> bool:
    """Render the shot unless it is already there; returns whether anything was rendered."""
    shot, exact = media / "apron", truth / "apron"
    stamp = exact / "rendered.txt"
    tag = f"{fingerprint(*APRON_CODE)} seed {seed} frames {count}"
    if stamp.exists() and stamp.read_text() == tag and len(list(shot.glob("*.tif"))) >= count:
        return False
    for folder in (shot, exact / "clean", exact / "clean_grain"):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
    make_scene(seed)  # made once, before the processes fork
    frames = list(range(apron.FIRST, apron.FIRST + count))
    raster.draw_grid(np.ones((2, 2, 3)), np.ones((2, 2, 1), np.float32), (0, 0), *raster.empty_buffers(1))
    jobs = [(frame, seed, str(shot), str(exact)) for frame in frames]
    with multiprocessing.get_context("fork").Pool(workers) as pool:
        for done, _ in enumerate(pool.imap_unordered(_render_frame, jobs), 1):
            if sys.stderr.isatty() or done % 24 == 0:
                print(f"  apron: {done} of {count} frames", end="\r" if sys.stderr.isatty() else "\n", file=sys.stderr)
        truth_frames = frames if apron.ANCHOR in frames else [*frames, apron.ANCHOR]
        parts = pool.map(_truth_of, [(seed, truth_frames[k::workers]) for k in range(workers)])
    np.savez_compressed(exact / "truth.npz", **_joined(parts))  # type: ignore[arg-type]
    stamp.write_text(tag)
    return True


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--media", type=Path, required=True)
    parser.add_argument("--truth", type=Path, required=True)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--only", nargs="+", choices=SHOTS, default=SHOTS, help="Shots to render (all of them).")
    options = parser.parse_args()
    done = render_all(options.media, options.truth, options.workers, options.only)
    print(f"Rendered {', '.join(done)}." if done else "The demo's footage is there already.")


__all__ = ["mark_coverage", "smoothstep"]

if __name__ == "__main__":
    main()
