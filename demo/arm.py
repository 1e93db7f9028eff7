"""The scene ``arm``: a bare forearm that bends and turns over a bench, with a scratch, a mole and two creases.

A tube along a bending centre line: every place on the skin has coordinates (along, around) in cm and radians that
do not change; the skin stretches and the relief catches the light anew as the arm moves. Seen in perspective.
"""

from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from demo import places, raster
from demo.noise import fractal, smoothstep, value_noise

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

WIDTH, HEIGHT = raster.WIDTH, raster.HEIGHT
FIRST, COUNT = 1, 60
RATE = (24, 1)
ANCHOR = 30
SUBFRAMES, SHUTTER = 5, 0.5
JITTER = [(-0.25, -0.17), (0.25, 0.17), (-0.42, 0.33), (0.08, -0.39), (0.42, -0.06)]
DENSITY = 56.0  # texture pixels a cm
LENGTH = (-25.0, 25.0)  # cm along the arm that are drawn
GIRTH = 3.7  # cm: mean radius, so that the texture is as fine around as along
ELBOW = -6.0  # cm along
DISTANCE = 36.0  # cm from the camera
SCRATCH = (3.4, 1.50)  # its middle: cm along, radians around (pi / 2 faces the camera at the anchor)
MOLE = (6.3, 1.82)
SCRATCH_LONG, SCRATCH_WIDE, MOLE_WIDE = 1.9, 0.075, 0.26  # cm
CREASES = (-5.2, -6.6)
WRAP = np.array([0.30, 0.16, 0.12])  # how far the lamp reaches round, a channel
SKY = np.array([0.9, 1.0, 1.15])
TOO_FAR = 0.12  # cm behind the front surface: hidden


def flex(time: float) -> float:
    """How far the elbow is bent, radians: a slow bend, held, and let go again."""
    t = (time - FIRST) / COUNT
    return float(0.34 + 0.30 * np.sin(2.4 * t - 0.9) + 0.035 * np.sin(9.0 * t + 0.4) + 0.006 * np.sin(47 * t))


def roll(time: float) -> float:
    """Turn of the forearm about itself, radians."""
    t = (time - FIRST) / COUNT
    return float(0.20 * np.sin(3.3 * t - 1.4) + 0.03 * np.sin(13 * t))


def _centre_line(time: float) -> tuple[F64, F64, F64]:
    """Along (cm), points (n, 2) and direction (radians) of the arm's middle."""
    along = np.arange(LENGTH[0] - 1, LENGTH[1] + 1, 0.01)
    bent = flex(time)
    angle = 0.10 - 0.55 * bent + bent * np.asarray(smoothstep(ELBOW - 6, ELBOW + 7, along.astype(np.float64)), float)
    step = np.stack([np.cos(angle), -np.sin(angle)], -1) * 0.01
    points = np.cumsum(step, 0)
    home = points[np.searchsorted(along, ELBOW)]
    t = (time - FIRST) / COUNT
    sway = np.array([-4.6 + 1.1 * np.sin(2.2 * t) + 0.10 * np.sin(17 * t), 0.9 + 0.45 * np.sin(3.7 * t + 1)])
    return along, points - home + sway, angle


def arm_points(along: F64, around: F64, time: float) -> F64:
    """Camera positions (..., 3) in cm of skin places."""
    line, centre, direction = _centre_line(time)
    x, y = (np.interp(along, line, centre[:, k]) for k in range(2))
    turn = np.interp(along, line, direction)
    bulge = 0.10 * flex(time) * np.exp(-(((along - 1.0) / 4.0) ** 2)) * (1 + 0.5 * np.cos(around))
    wide = 3.55 - 0.052 * along + 0.35 * np.exp(-(((along + 1.5) / 5.5) ** 2)) + 1.6 * bulge
    place = around + roll(time) * np.asarray(smoothstep(ELBOW, 14.0, np.asarray(along, np.float64)), float)
    side = wide * np.cos(place)  # across the arm, in the picture
    near = 0.9 * wide * np.sin(place)  # towards the camera
    depth = DISTANCE + 0.05 * (along - ELBOW) * np.sin(0.8 * flex(time)) - near
    return np.stack([x + side * np.sin(turn), y + side * np.cos(turn), depth], -1)


@lru_cache(maxsize=1)
def make_skin() -> tuple[F32, F32, F32]:
    """Albedo, relief (cm) and marks of the skin.

    Rows go around, columns along. Marks (h, w, 5): albedo and coverage of scratch and mole, and their relief.
    """
    cols, rows = int((LENGTH[1] - LENGTH[0]) * DENSITY), int(np.pi * GIRTH * DENSITY)
    red, broad, fine = (
        fractal((rows, cols), 190, 61, 3),
        fractal((rows, cols), 60, 62, 4),
        fractal((rows, cols), 7, 63, 2),
    )
    freckle = smoothstep(1.9, 2.6, value_noise((rows, cols), 7.0, 64)) + 0.8 * smoothstep(
        2.2, 2.8, value_noise((rows, cols), 4.0, 65)
    )
    base = np.array([0.47, 0.285, 0.205], np.float32) * (1 + 0.05 * broad + 0.035 * fine)[..., None]
    base *= 1 + red[..., None] * np.array([0.02, -0.045, -0.05], np.float32)
    base *= 1 - freckle[..., None] * np.array([0.26, 0.36, 0.42], np.float32)
    vein = np.exp(-((fractal((rows, cols), 260, 66, 3) / 0.11) ** 2))
    base *= 1 - vein[..., None] * np.array([0.075, 0.03, 0.0], np.float32)
    relief = 0.0035 * value_noise((rows, cols), 2.6, 67)
    for cell, deep in ((9.0, 0.0085), (17.0, 0.010)):  # the net of fine lines: valleys where noise crosses zero
        net = np.minimum(np.abs(value_noise((rows, cols), cell, int(cell) + 70)), 1.0)
        relief -= deep * (1 - net) ** 3
    _hairs(base)
    base, relief = _creases(base, relief, rows, cols)
    return np.ascontiguousarray(base), relief.astype(np.float32), _marks(rows, cols)


def _hairs(albedo: F32) -> None:
    """Short dark hairs laid into the albedo, most of them along the arm."""
    rng = np.random.default_rng(71)
    rows, cols = albedo.shape[:2]
    for _ in range(2600):
        y, x = rng.uniform(0, rows), rng.uniform(0, cols)
        turn, bend, long = rng.normal(0.5, 0.35), rng.normal(0, 0.02), int(rng.uniform(14, 40))
        step = np.arange(long)
        angle = turn + bend * step
        px, py = (x + np.cumsum(np.cos(angle))).astype(int), (y + np.cumsum(np.sin(angle))).astype(int)
        inside = (px >= 0) & (px < cols) & (py >= 0) & (py < rows)
        albedo[py[inside], px[inside]] *= (1 - 0.42 * (1 - step / long))[inside, None].astype(np.float32)


def _creases(albedo: F32, relief: F32, rows: int, cols: int) -> tuple[F32, F32]:
    """Two folds of skin across the inside of the elbow."""
    along = LENGTH[0] + np.arange(cols, dtype=np.float32)[None] / DENSITY
    for number, place in enumerate(CREASES):
        wander = 0.16 * fractal((rows, 1), 150, 80 + number, 2)
        away = along - place - wander
        depth = np.exp(-((away / 0.10) ** 2)) * (0.7 + 0.3 * fractal((rows, 1), 60, 90 + number, 2))
        relief = relief - 0.05 * depth - 0.02 * np.exp(-((away / 0.35) ** 2))
        albedo = albedo * (1 - depth[..., None] * np.array([0.16, 0.26, 0.28], np.float32))
    return albedo.astype(np.float32), relief


def _marks(rows: int, cols: int) -> F32:
    """Scratch and mole: albedo (3), coverage, relief."""
    along = (LENGTH[0] + np.arange(cols, dtype=np.float32) / DENSITY)[None]
    around = (np.arange(rows, dtype=np.float32) / DENSITY / GIRTH)[:, None]
    marks = np.zeros((rows, cols, 5), np.float32)
    dx, dy = along - SCRATCH[0], (around - SCRATCH[1]) * GIRTH
    x, y = 0.86 * dx + 0.51 * dy, -0.51 * dx + 0.86 * dy
    y = y - 0.10 * np.sin(1.9 * x) - 0.02 * fractal((1, cols), 11, 95, 2)
    taper = np.clip(1 - (x / SCRATCH_LONG) ** 2, 0, 1)
    ragged = np.clip(1 + 0.30 * fractal((rows, cols), 10, 96, 2), 0.5, 1.6)
    scratch = smoothstep(1.3, 0.5, np.abs(y) / (SCRATCH_WIDE * (0.35 + taper) * ragged)) * (taper > 0)
    flush = 0.55 * np.exp(-((y / 0.26) ** 2)) * smoothstep(0, 0.5, taper)
    far = np.hypot(along - MOLE[0], (around - MOLE[1]) * GIRTH * 1.1)
    mole = smoothstep(1.25, 0.75, far / (MOLE_WIDE * (1 + 0.10 * fractal((rows, cols), 14, 97, 2))))
    tints = ((flush, (0.50, 0.20, 0.15)), (scratch, (0.20, 0.045, 0.035)), (mole, (0.125, 0.055, 0.036)))
    for cover, tint in tints:
        marks[..., :3] = marks[..., :3] * (1 - cover[..., None]) + np.array(tint, np.float32) * cover[..., None]
        marks[..., 3] = marks[..., 3] * (1 - cover) + cover
    marks[..., :3] /= np.maximum(marks[..., 3:4], 1e-3)
    marks[..., 4] = 0.02 * scratch + 0.05 * mole
    return marks


@lru_cache(maxsize=1)
def make_bench() -> F32:
    """The blurred bench under the arm (h, w, 3), wider than the frame."""
    y, x = np.mgrid[0:HEIGHT, 0 : WIDTH + 80].astype(np.float32)
    grain = fractal(y.shape, 64, 98, 4) + 1.2 * np.sin(y * 0.10 + 2.0 * fractal(y.shape, 240, 99, 2))
    board = (0.105 + 0.009 * grain)[..., None] * np.array([0.95, 0.78, 0.62], np.float32)
    cloth = smoothstep(-50, 50, y - 560 - 0.12 * x)[..., None] * np.array([0.15, 0.19, 0.20], np.float32)
    return np.asarray(np.clip(board + 0.7 * cloth, 0.01, None), np.float32)


def _sample(maps: F32, along: F64, around: F64) -> F32:
    """Bilinear samples (n, channels) of a texture at skin places."""
    out = np.empty((len(along), maps.shape[2]), np.float32)
    _gather(maps, (along - LENGTH[0]) * DENSITY, around * GIRTH * DENSITY, out)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def _gather(maps, xs, ys, out):  # type: ignore[no-untyped-def]
    """``out`` (n, channels): ``maps`` (h, w, channels) at ``xs``, ``ys``, clamped to its border."""
    rows, cols, channels = maps.shape
    for n in range(len(xs)):
        x, y = min(max(xs[n], 0.0), cols - 1.001), min(max(ys[n], 0.0), rows - 1.001)
        ix, iy = int(x), int(y)
        fx, fy = np.float32(x - ix), np.float32(y - iy)
        for k in range(channels):
            upper = maps[iy, ix, k] + fx * (maps[iy, ix + 1, k] - maps[iy, ix, k])
            lower = maps[iy + 1, ix, k] + fx * (maps[iy + 1, ix + 1, k] - maps[iy + 1, ix, k])
            out[n, k] = upper + fy * (lower - upper)


@lru_cache(maxsize=1)
def _slopes() -> tuple[F32, F32]:
    """The relief's slopes along and around, for the bare skin and the marked one: (h, w, 2) each."""
    _, relief, marks = make_skin()
    both = []
    for height in (relief, relief + marks[..., 4]):
        gy, gx = np.gradient(height)
        both.append(np.ascontiguousarray(np.stack([gx, gy], -1) * DENSITY, np.float32))
    return both[0], both[1]


def buffers(time: float, jitter: tuple[float, float]) -> tuple[F32, F32]:
    """Depth, and (along, around, tangents along and around) per pixel."""
    along, around = np.meshgrid(np.arange(LENGTH[0], LENGTH[1], 0.16), np.arange(0.02, np.pi - 0.02, 0.026))
    points = arm_points(along, around, time)
    step = 1e-3
    by_along = (arm_points(along + step, around, time) - points) / step
    by_around = (arm_points(along, around + step, time) - points) / step / GIRTH
    values = np.concatenate([along[..., None], around[..., None], by_along, by_around], -1)
    depth, buf = raster.empty_buffers(8)
    raster.draw_grid(points, values.astype(np.float32), jitter, depth, buf)
    return depth, buf


def _light(time: float) -> tuple[F64, float]:
    """Direction towards the lamp and its strength: someone moves about beside it."""
    t = (time - FIRST) / COUNT
    way = np.array([-0.50 + 0.22 * np.sin(2.9 * t), -0.62, -0.60])
    return way / np.linalg.norm(way), float(2 ** (0.55 * np.sin(4.2 * t + 0.5)))


def _instant(time: float, jitter: tuple[float, float]) -> tuple[F32, F32]:
    depth, buf = buffers(time, jitter)
    shift = round(12 + 9 * np.sin(0.02 * time))
    clean = make_bench()[:, shift : shift + WIDTH].copy()
    on = depth < raster.NOTHING
    clean *= _contact(on)[..., None]
    marked = clean.copy()
    place = buf[on].astype(np.float64)
    along, around = place[:, 0], place[:, 1]
    albedo, _, marks = make_skin()
    bare, mark = _sample(albedo, along, around), _sample(marks, along, around)
    skin = _lit(bare, _sample(_slopes()[0], along, around), place[:, 2:5], place[:, 5:8], time)
    clean[on] = skin
    here = (mark[:, 3] > 0) | (mark[:, 4] > 0)
    cover, part = mark[here, 3:4], place[here]
    stained = bare[here] * (1 - cover) + mark[here, :3] * cover
    skin[here] = _lit(stained, _sample(_slopes()[1], along[here], around[here]), part[:, 2:5], part[:, 5:8], time)
    marked[on] = skin
    return marked, clean


def _contact(on: NDArray[np.bool_]) -> F32:
    """Soft shade on the bench beside the arm."""
    near = on.astype(np.float32)
    for step in (3, 6, 12, 24, 24):
        near = (
            near + np.roll(near, step, 0) + np.roll(near, -step, 0) + np.roll(near, step, 1) + np.roll(near, -step, 1)
        ) / 5
    return np.asarray(1 - 0.65 * np.clip(1.4 * near, 0, 1), np.float32)


def _lit(colour: F32, slopes: F32, by_along: F64, by_around: F64, time: float) -> F32:
    """Skin under the lamp: light that wraps round a little, redder in the half-shade, and a soft sheen."""
    way, strength = _light(time)
    half = way + np.array([0, 0, -1.0])
    out = np.empty_like(colour)
    _shade(colour, slopes, by_along, by_around, way, half / np.linalg.norm(half), strength, out)
    return out


@njit(cache=True, nogil=True)
def _shade(colour, slopes, by_along, by_around, way, half, strength, out):  # type: ignore[no-untyped-def]
    """``out`` (n, 3): places of the skin by their albedo, relief (slopes along and around) and tangents, under the lamp."""
    normal = np.empty(3)
    for n in range(len(colour)):
        a, b = by_along[n], by_around[n]
        normal[0], normal[1], normal[2] = (
            a[1] * b[2] - a[2] * b[1],
            a[2] * b[0] - a[0] * b[2],
            a[0] * b[1] - a[1] * b[0],
        )
        size = np.sqrt(normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2)
        side = (-1.0 if normal[2] > 0 else 1.0) / size
        along = slopes[n, 0] / (a[0] ** 2 + a[1] ** 2 + a[2] ** 2)
        around = slopes[n, 1] / (b[0] ** 2 + b[1] ** 2 + b[2] ** 2)
        square, cosine, shine = 0.0, 0.0, 0.0
        for k in range(3):
            normal[k] = side * normal[k] - along * a[k] - around * b[k]
            square += normal[k] ** 2
            cosine += normal[k] * way[k]
            shine += normal[k] * half[k]
        size = np.sqrt(square)
        cosine, shine = cosine / size, min(max(shine / size, 0.0), 1.0)
        sheen = 0.055 * shine**26 + 0.02 * shine**7
        sky = 0.10 + 0.07 * min(max(-normal[1] / size, 0.0), 1.0)
        for k in range(3):
            diffuse = max((cosine + WRAP[k]) / (1 + WRAP[k]), 0.0) ** 1.2
            light = strength * (1.02 * diffuse + sky * SKY[k])
            out[n, k] = colour[n, k] * light + strength * sheen


def render(frame: int, seed: int = 1) -> tuple[F32, F32]:
    """The frame with its marks and without: linear BT.709 light (h, w, 3), averaged over the open shutter."""
    sums = [np.zeros((HEIGHT, WIDTH, 3), np.float32) for _ in range(2)]
    for k, jitter in enumerate(JITTER):
        for total, part in zip(sums, _instant(frame + SHUTTER * ((k + 0.5) / SUBFRAMES - 0.5), jitter), strict=True):
            total += part
    return sums[0] / np.float32(SUBFRAMES), sums[1] / np.float32(SUBFRAMES)


def truth(frames: list[int], step: int = 8, seed: int = 1) -> dict[str, NDArray[np.generic]]:
    """Positions and visibility of the anchor pose's grid on every frame, at mid-shutter."""
    return places.truth(arm_points, buffers, frames, ANCHOR, (0.3, 0.1), TOO_FAR, step)
