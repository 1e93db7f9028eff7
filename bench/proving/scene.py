"""A drawn shot's pictures in linear light, with the mark and without it, and all that is exactly true of them."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from bench.proving import motion, surface
from bench.proving.draw import Drawn
from demo import raster
from demo.noise import F32, fractal, smoothstep
from demo.shade import sample_map, sample_one

F64 = NDArray[np.float64]
SUBFRAMES = 4
STEP = 8.0  # px between vertices
EXPOSURE = 0.72
JITTER = ((-0.3, -0.1), (0.3, -0.3), (-0.1, 0.35), (0.15, 0.05))
GRID = 8  # px of the anchor pose between the truth's points


@dataclass(frozen=True)
class Scene:
    """What stays the same through a shot."""

    drawn: Drawn
    maps: F32
    grid: tuple[F64, F64]
    backdrop: F32

    @staticmethod
    def of(drawn: Drawn) -> "Scene":
        left, top, right, bottom = motion.bounds(drawn)
        u = np.linspace(left, right, int((right - left) / STEP) + 1)
        v = np.linspace(top, bottom, int((bottom - top) / STEP) + 1)
        grid = np.meshgrid(u, v)
        centre = motion.mark_centre(drawn)
        maps = surface.make_maps(drawn, centre)
        if drawn.motion == "standing":
            maps[..., 4:6] = 0
        width, height = drawn.size
        backdrop = fractal((height + 64, 3 * width), 40, drawn.seed + 900, 4)
        return Scene(drawn, maps, (grid[0], grid[1]), backdrop)


def buffers(scene: Scene, time: float, jitter: tuple[float, float]) -> tuple[F32, F32]:
    """Depth, and (u, v, tangent u (3), tangent v (3)) of each pixel."""
    drawn = scene.drawn
    u, v = scene.grid
    at = motion.points(drawn, u, v, time)
    along = (np.gradient(at, u[0], axis=1), np.gradient(at, v[:, 0], axis=0))
    values = np.concatenate([u[..., None], v[..., None], *along], -1).astype(np.float32)
    pixels = (motion.project(drawn, at) + np.asarray(jitter)).astype(np.float32)
    depth, out = raster.empty_buffers(8, drawn.size)
    raster.draw_at(pixels, at[..., 2].astype(np.float32), values, depth, out)
    return depth, out


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _shade(
    depth,
    buf,
    maps,
    density,
    reach_x,
    reach_y,
    light,
    level,
    slope,
    folds,
    shadow,
    gloss,
    power,
    env,
    time,
    marked,
    clean,
):  # type: ignore[no-untyped-def]
    height, width = depth.shape
    texel = np.zeros(9, np.float32)
    for y in range(height):
        for x in range(width):
            if depth[y, x] > 1e6:
                continue
            u, v = (buf[y, x, 0] + reach_x) * density, (buf[y, x, 1] + reach_y) * density
            sample_map(maps, u, v, texel)
            sx, sy = x / width - 0.5, y / height - 0.5
            gain = level * (1 + slope[0] * sx + slope[1] * sy)
            if folds > 0:
                wave = np.sin(buf[y, x, 0] / 21 + buf[y, x, 1] / 47 - 0.35 * time) + 0.6 * np.sin(
                    buf[y, x, 0] / 33 - buf[y, x, 1] / 25 + 0.2 * time
                )
                gain *= 1 + folds * wave
            if shadow[2] > 0:
                t = (sx * shadow[0] + sy * shadow[1] - shadow[3]) / shadow[2]
                t = min(max(t + 0.5, 0.0), 1.0)
                gain *= 0.42 + 0.58 * t * t * (3 - 2 * t)
            for way in range(2):
                lift = texel[5] if way else 0.0
                du = (sample_one(maps, u + 1, v, 3) - texel[3]) * density
                dv = (sample_one(maps, u, v + 1, 3) - texel[3]) * density
                if way and (texel[5] != 0 or texel[4] != 0):
                    du += (sample_one(maps, u + 1, v, 5) - lift) * density
                    dv += (sample_one(maps, u, v + 1, 5) - lift) * density
                elif way:
                    d1, d2 = sample_one(maps, u + 1, v, 5), sample_one(maps, u, v + 1, 5)
                    if d1 == 0 and d2 == 0:
                        for k in range(3):
                            marked[y, x, k] = clean[y, x, k]
                        continue
                    du += d1 * density
                    dv += d2 * density
                ax, ay, az = buf[y, x, 2], buf[y, x, 3], buf[y, x, 4]
                bx, by, bz = buf[y, x, 5], buf[y, x, 6], buf[y, x, 7]
                nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                size = 1 / np.sqrt(nx * nx + ny * ny + nz * nz + 1e-12)
                nx, ny, nz = nx * size, ny * size, nz * size
                if nz > 0:
                    nx, ny, nz = -nx, -ny, -nz
                nx, ny, nz = nx + du * ax / 1.0, ny + du * ay + dv * by, nz + du * az + dv * bz
                nx += dv * bx
                size = 1 / np.sqrt(nx * nx + ny * ny + nz * nz + 1e-12)
                nx, ny, nz = nx * size, ny * size, nz * size
                facing = max(0.0, (nx * light[0] + ny * light[1] + nz * light[2] + 0.15) / 1.15)
                diffuse = gain * (0.22 + 0.85 * facing)
                added = 0.0
                if gloss > 0:
                    hx, hy, hz = light[0], light[1], light[2] - 1
                    size = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
                    spec = max(0.0, (nx * hx + ny * hy + nz * hz) * size) ** power
                    mine = gloss * (1 - 0.7 * texel[4] * way)
                    added = level * mine * spec
                    if env > 0:
                        wave = np.sin(9 * nx + 14 * sx + 0.22 * time) * np.sin(6 * ny + 7 * sy - 0.13 * time)
                        added += env * mine * max(0.0, wave) ** 2
                for k in range(3):
                    albedo = texel[k] + (texel[6 + k] - texel[k]) * texel[4] * way
                    value = albedo * diffuse + added
                    if way:
                        marked[y, x, k] = value
                    else:
                        clean[y, x, k] = value


def _lights(drawn: Drawn, time: float) -> dict[str, object]:
    """What the light is like at a time."""
    share = time / max(1, drawn.frames - 1)
    rng = np.random.default_rng(drawn.seed * 7 + 1)
    way = rng.uniform(0, 2 * np.pi)
    light = np.array([0.45 * np.cos(way), -0.55, -0.75])
    out: dict[str, object] = {
        "light": light / np.linalg.norm(light), "level": 1.0, "slope": np.array([0.25, -0.15]), "folds": 0.0,
        "shadow": np.array([1.0, 0.3, 0.0, 0.0]), "env": 0.0,
    }  # fmt: skip
    kind = drawn.light
    if kind == "stop":
        out["level"] = 2 ** np.sin(2 * np.pi * share * 0.8 + 0.3)
    if kind == "slope":
        out["slope"] = np.array([0.9 * np.cos(np.pi * share), 0.5 * np.sin(np.pi * share)])
    if kind == "folds":
        out["folds"], out["level"] = 0.16, 2 ** (0.7 * np.sin(2 * np.pi * share))
    if kind == "shadow":
        out["shadow"] = np.array([1.0, 0.35, 0.05, -0.45 + 0.9 * share])
    if kind == "flicker":
        out["level"] = 1 + 0.12 * np.sin(2.3 * time) * np.sin(0.9 * time + 1)
    if kind == "reflections":
        out["env"] = 0.5
    return out


def _behind(scene: Scene, time: float) -> F32:
    """The background (h, w, 3), out of focus."""
    drawn, kind = scene.drawn, scene.drawn.behind
    width, height = drawn.size
    x = np.arange(width, dtype=np.float32)[None, :] * np.ones((height, 1), np.float32)
    shift = 3.0 * motion.wobble(drawn, time, 1, 90)[0] + (6.0 * time if kind == "moving" else 0.0)
    begin = int(np.clip(width + shift, 0, 2 * width))
    rough = scene.backdrop[:height, begin : begin + width]
    base = np.array([0.10, 0.11, 0.13], np.float32) * (1 + 0.15 * rough[..., None])
    if kind == "striped":
        slats = smoothstep(-0.3, 0.3, np.sin(2 * np.pi * (x + shift) / 34))
        base = base + slats[..., None] * np.array([0.75, 0.80, 0.85], np.float32)
    if kind == "bright":
        base = base * 0 + np.array([0.85, 0.9, 0.95], np.float32) * (1 + 0.04 * rough[..., None])
    if kind == "moving":
        base = base + 0.25 * smoothstep(-0.2, 0.8, rough)[..., None] * np.array([1.0, 0.8, 0.6], np.float32)
    return np.asarray(base, np.float32)


def front(drawn: Drawn, time: float) -> tuple[F32, F32] | None:
    """How far something covers each pixel at a time (h, w), and its light (h, w, 3); None for nothing."""
    kind = drawn.front
    if kind == "nothing":
        return None
    width, height = drawn.size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    share = time / max(1, drawn.frames - 1)
    middle = width * (1.25 - 1.6 * share)
    if kind == "walker":
        edge = 0.085 * width - np.abs(x - middle - 14 * np.sin(0.35 * time + y / 60))
        colour = np.array([0.014, 0.015, 0.018]) * (1 + 0.25 * np.sin(x / 9 + y / 31))[..., None]
        soft = 0.7
    elif kind == "hand":
        cx, cy = width * (1.15 - 1.4 * share), height * (0.52 + 0.12 * np.sin(0.4 * time))
        edge = np.maximum(
            0.10 * width - np.hypot(x - cx, 1.2 * (y - cy)),
            0.04 * width - np.abs(y - cy - 0.35 * (x - cx)) + np.minimum(0, x - cx),
        )
        colour = np.array([0.30, 0.18, 0.13]) * (1 + 0.12 * np.sin(x / 40 + y / 23))[..., None]
        soft = 2.0
    elif kind == "hair":
        edge = np.full_like(x, -9)
        for k in range(7):
            edge = np.maximum(
                edge,
                0.9 - np.abs(x - width * (0.2 + 0.6 * share) - 26 * (k - 3) - 12 * np.sin(y / 70 + k + 0.1 * time)),
            )
        colour, soft = np.full((height, width, 3), 0.03), 0.6
    elif kind == "post":
        edge = 0.02 * width - np.abs(x - width * (0.05 + 0.95 * share) - 0.06 * (y - height / 2))
        colour, soft = np.array([0.09, 0.10, 0.09]) * np.ones((height, width, 1)), 0.8
    else:
        edge = 0.07 * width - np.abs(x - middle)
        colour = np.array(surface.BASES[drawn.surface]) * (0.8 + 0.15 * np.sin(y / 25 + 0.2 * time))[..., None]
        soft = 1.2
    return smoothstep(-soft, soft, edge.astype(np.float32)), colour.astype(np.float32)


def frame(scene: Scene, number: int) -> tuple[F32, F32, F32]:
    """With the mark, without it (h, w, 3), averaged over the shutter; and how far something is in front (h, w)."""
    drawn = scene.drawn
    width, height = drawn.size
    marked, clean = np.zeros((height, width, 3), np.float32), np.zeros((height, width, 3), np.float32)
    covered = np.zeros((height, width), np.float32)
    gloss, power = surface.GLOSS.get(drawn.surface, (0.0, 1.0))
    if drawn.light not in ("lamp", "reflections"):
        gloss *= 0.12
    for k in range(SUBFRAMES):
        time = number + drawn.shutter * ((k + 0.5) / SUBFRAMES - 0.5)
        depth, buf = buffers(scene, time, JITTER[k])
        one = _behind(scene, time)
        two = one.copy()
        how = _lights(drawn, time)
        _shade(
            depth, buf, scene.maps, surface.DENSITY, surface.REACH * width, surface.REACH * height, how["light"],
            how["level"], how["slope"], how["folds"], how["shadow"], gloss, power, how["env"], time, one, two,
        )  # fmt: skip
        passing = front(drawn, time)
        if passing is not None:
            alpha, colour = passing
            covered += alpha / SUBFRAMES
            one, two = (side + alpha[..., None] * (colour - side) for side in (one, two))
        marked += one
        clean += two
    share = np.float32(EXPOSURE / SUBFRAMES)
    return marked * share, clean * share, covered


def overlay(drawn: Drawn) -> tuple[F32, F32]:
    """A standing mark: how much of the frame it takes (h, w), and its light there (h, w, 3)."""
    width, height = drawn.size
    centre = motion.mark_centre(drawn)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x - (width - 1) / 2 - centre[0], y - (height - 1) / 2 - centre[1]
    made = drawn.overlay
    if made is None:
        cover = np.asarray(0.75 * surface._mark(drawn, x, y)[0], np.float32)
        return cover, np.broadcast_to(np.array([0.9, 0.9, 0.88], np.float32), (height, width, 3))
    front = np.float32(made.share) * _shape(drawn, made.shape, x, y)
    shade = np.float32(made.shadow) * cv2.GaussianBlur(_shape(drawn, made.shape, x - 3, y - 3), (0, 0), 2.0)
    cover = np.asarray(front + (1 - front) * shade, np.float32)
    return cover, (front / np.maximum(cover, 1e-4))[..., None] * np.array(made.ink, np.float32)


def shown(drawn: Drawn, number: int) -> float:
    """Of an overlay that fades, the share (0..1) that is there on a frame."""
    fades = 0 if drawn.overlay is None else drawn.overlay.fades
    if not fades:
        return 1.0
    return float(np.clip(min(number - 2, drawn.frames - 3 - number) / fades, 0, 1))


def _shape(drawn: Drawn, shape: str, x: F32, y: F32) -> F32:
    """Coverage (0..1) of an overlay's shape round (0, 0)."""
    r = drawn.radius
    soft = lambda inside: smoothstep(-0.6, 0.6, inside)  # noqa: E731
    if shape == "letters":  # thin strokes, a line of them
        at = (x + r) % 15 - 7.5
        strokes = np.maximum.reduce([
            np.minimum(1.1 - np.abs(at + 3), 7 - np.abs(y)), np.minimum(1.1 - np.abs(y + 0.4 * (x // 15 % 3 - 1) * 7), 3.5 - np.abs(at)),
            1.1 - np.abs(np.hypot(at - 1, y - 2) - 3.5),
        ])  # fmt: skip
        return np.asarray(soft(np.minimum(strokes, r - np.abs(x))), np.float32)
    if shape == "plate":  # a full board with strokes left out
        board = np.minimum(r - np.abs(x), 0.45 * r - np.abs(y))
        out = np.minimum(2.0 - np.abs((x + r) % 13 - 6.5), 0.25 * r - np.abs(y))
        return np.asarray(soft(np.minimum(board, -np.minimum(out, 0.8 * r - np.abs(x)))), np.float32)
    logo, _ = surface._mark(replace(drawn, mark="overlay"), x, y)
    logo = np.asarray(logo / 0.92, np.float32)
    return np.asarray(np.maximum(logo, cv2.GaussianBlur(logo, (0, 0), 4.0)), np.float32) if shape == "glow" else logo


def coverage(scene: Scene, number: int) -> F32:
    """The mark's coverage (0..1; its relief counts) of the frame at mid-shutter, what is in front not taken off."""
    depth, buf = buffers(scene, float(number), (0.0, 0.0))
    marks = np.maximum(scene.maps[..., 4], smoothstep(0.05, 0.5, np.abs(scene.maps[..., 5])))
    width, height = scene.drawn.size
    col = ((buf[..., 0] + surface.REACH * width) * surface.DENSITY).astype(int).clip(0, marks.shape[1] - 1)
    row = ((buf[..., 1] + surface.REACH * height) * surface.DENSITY).astype(int).clip(0, marks.shape[0] - 1)
    return np.where(depth < raster.NOTHING, marks[row, col], 0).astype(np.float32)


def anchor(scene: Scene) -> int:
    """The frame an artist would take: the mark faces the camera, nothing is in front, within the frame."""
    drawn = scene.drawn
    width, height = drawn.size
    best, found = -1.0, 0
    centre = np.array(motion.mark_centre(drawn))
    for number in range(drawn.frames):
        if drawn.motion == "standing":
            at, size = centre + np.array([(width - 1) / 2, (height - 1) / 2]), 1.0
        else:
            around = centre + np.array([[0, 0], [1, 0], [0, 1]])
            at3 = motion.points(drawn, around[:, 0], around[:, 1], float(number))
            px = motion.project(drawn, at3)
            at, size = px[0], abs(np.linalg.det(px[1:] - px[0]))
        margin = min(at[0], at[1], width - at[0], height - at[1]) - drawn.radius - 30
        passing = front(drawn, float(number))
        hidden = 0.0
        if passing is not None:
            r = int(drawn.radius + 26)
            y, x = int(at[1]), int(at[0])
            hidden = float(passing[0][max(0, y - r) : y + r, max(0, x - r) : x + r].max(initial=0))
        middle = 1 - abs(number / max(1, drawn.frames - 1) - 0.4)
        worth = min(size, 1.5) + 0.3 * middle - 3 * hidden + min(0.0, margin / 20)
        if worth > best:
            best, found = worth, number
    return found


def truth(scene: Scene, at: int) -> dict[str, NDArray[np.generic]]:
    """Positions and visibility (frames, rows, cols) of a grid of the anchor pose, at mid-shutter."""
    drawn = scene.drawn
    width, height = drawn.size
    ys, xs = np.mgrid[0:height:GRID, 0:width:GRID]
    depth, buf = buffers(scene, float(at), (0.0, 0.0))
    known = depth[ys, xs] < raster.NOTHING
    u, v = buf[ys, xs, 0].astype(float), buf[ys, xs, 1].astype(float)
    target = np.stack([xs, ys], -1).astype(float)
    for _ in range(6):  # Newton: the projected (u, v) exactly onto the grid
        here = motion.project(drawn, motion.points(drawn, u, v, float(at)))
        h = 1e-3
        du = (motion.project(drawn, motion.points(drawn, u + h, v, float(at))) - here) / h
        dv = (motion.project(drawn, motion.points(drawn, u, v + h, float(at))) - here) / h
        miss = target - here
        det = du[..., 0] * dv[..., 1] - du[..., 1] * dv[..., 0]
        det = np.where(np.abs(det) < 1e-3, 1e-3, det)
        u = u + np.clip((miss[..., 0] * dv[..., 1] - miss[..., 1] * dv[..., 0]) / det, -8, 8)
        v = v + np.clip((miss[..., 1] * du[..., 0] - miss[..., 0] * du[..., 1]) / det, -8, 8)
    positions = np.zeros((drawn.frames, *u.shape, 2), np.float32)
    visible = np.zeros((drawn.frames, *u.shape), bool)
    for number in range(drawn.frames):
        points = motion.points(drawn, u, v, float(number))
        px = motion.project(drawn, points)
        positions[number] = px
        seen, _ = buffers(scene, float(number), (0.0, 0.0))
        x, y = np.round(px[..., 0]).astype(int), np.round(px[..., 1]).astype(int)
        within = (x >= 0) & (y >= 0) & (x < width) & (y < height)
        x, y = x.clip(0, width - 1), y.clip(0, height - 1)
        visible[number] = known & within & (points[..., 2] < seen[y, x] + 4)
        passing = front(drawn, float(number))
        if passing is not None:
            visible[number] &= passing[0][y, x] < 0.02
    return {"positions": positions, "visible": visible, "anchor": np.array(at), "step": np.array(GRID)}
