"""The apron's frames and truth: its mesh of cloth over a shirt, lit, through the open shutter."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from demo import apron, linen, raster, shade
from demo.noise import fractal

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
