"""The scene ``bust``: an unglazed clay head, made up, on a slow turntable before a window with slats.

A surface over (around, up): radians about the turntable's axis and cm above the table. Nothing on the clay moves but with
the table; the maker's stamp near the cheek's silhouette turns away until the bright slats come beside it.
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
FIRST, COUNT = 0, 54
RATE = (25, 1)
ANCHOR = 12
SUBFRAMES, SHUTTER = 4, 0.5
JITTER = [(-0.25, -0.17), (0.25, 0.17), (-0.08, 0.39), (0.08, -0.39)]
DENSITY = 40.0  # texture pixels a cm
GIRTH = 7.6  # cm: mean radius
TALL = 32.0  # cm
DISTANCE = 62.0  # cm to the axis
TABLE = 15.6  # cm below the optical axis
STAMP = (0.98, 13.9)  # its middle: radians around from the nose, cm up
STAMP_RADIUS = 1.45  # cm
CRACK = (0.30, 5.4)
LENS_SOFT = 0.9  # px: a lens that is not sharp
AROUND, UP = 440, 240  # the mesh
STEP = 1e-3  # for its tangents
TOO_FAR = 0.15  # cm behind the front surface: hidden


def turned(time: float) -> float:
    """Angle of the turntable, radians: pushed by hand, it eases in and out and sticks a little."""
    t = (time - FIRST) / COUNT
    return float(-0.62 + 0.74 * t + 0.045 * np.sin(2 * np.pi * t) + 0.008 * np.sin(21 * t) + 0.003 * np.sin(57 * t))


def slide(time: float) -> F64:
    """Camera position (3,) in cm: a slider's slow drift and its small shake."""
    t = (time - FIRST) / COUNT
    return np.array([0.9 - 1.6 * t + 0.03 * np.sin(23 * t), 0.05 * np.sin(17 * t + 1), 0.25 * np.sin(2.1 * t)])


def _bump(a: F64, y: F64, at: float, up: float, wide: float, high: float) -> F64:
    apart = (a - at + np.pi) % (2 * np.pi) - np.pi
    return np.asarray(np.exp(-((apart / wide) ** 2) - ((y - up) / high) ** 2))


def radius(a: F64, y: F64) -> F64:
    """Distance (cm) of the clay from the axis at an angle from the nose and a height."""
    knots = [0, 1.5, 4, 6.5, 8.6, 10.5, 13.5, 17, 20.5, 24, 27, 29.5, 31, 31.8, 32]
    sizes = [7.6, 7.4, 5.3, 5.0, 5.6, 6.7, 7.6, 8.0, 8.25, 8.1, 7.0, 4.9, 2.8, 1.0, 0.02]
    base = np.interp(y, np.linspace(0, TALL, 400), _smooth(np.interp(np.linspace(0, TALL, 400), knots, sizes)))
    head = smoothstep(6.0, 11.0, np.asarray(y, np.float32))
    long = 1 + 0.13 * head * np.cos(2 * a) - 0.05 * head * np.cos(a)
    nose = 2.1 * _bump(a, y, 0, 15.0, 0.17, 1.6) + 1.0 * _bump(a, y, 0, 17.3, 0.13, 1.6)
    brow = 0.55 * (_bump(a, y, 0.34, 19.6, 0.30, 0.85) + _bump(a, y, -0.34, 19.6, 0.30, 0.85))
    eyes = -0.85 * (_bump(a, y, 0.36, 17.8, 0.20, 0.95) + _bump(a, y, -0.36, 17.8, 0.20, 0.95))
    lids = 0.42 * (_bump(a, y, 0.36, 17.7, 0.12, 0.42) + _bump(a, y, -0.36, 17.7, 0.12, 0.42))
    lips = 0.5 * _bump(a, y, 0, 12.35, 0.26, 0.42) + 0.5 * _bump(a, y, 0, 11.55, 0.21, 0.45)
    mouth = -0.32 * _bump(a, y, 0, 11.95, 0.30, 0.14)
    chin = 0.85 * _bump(a, y, 0, 9.5, 0.34, 1.1)
    cheeks = 0.42 * (_bump(a, y, 0.80, 15.4, 0.30, 1.7) + _bump(a, y, -0.80, 15.4, 0.30, 1.7))
    ears = sum(
        0.75 * _bump(a, y, side * 1.66, 16.4, 0.13, 1.9) - 0.5 * _bump(a, y, side * 1.62, 16.6, 0.06, 1.1)
        for side in (-1, 1)
    )
    combed = 0.10 * np.sin(24 * a + 1.7 * np.sin(0.5 * y)) * smoothstep(21.2, 22.6, _hairline(a, y))
    band = 0.30 * smoothstep(0, 0.5, 0.9 - np.abs(_hairline(a, y) - 21.6))
    return np.asarray(
        base * long + (nose + brow + eyes + lids + lips + mouth + chin + cheeks + ears) * head + combed + band
    )


def _hairline(a: F64, y: F64) -> F32:
    """Height above the hair's lower line, which falls towards the back of the head."""
    return np.asarray(y + 3.4 * (1 - np.cos(a)) - 0.6, np.float32)


def _smooth(values: F64) -> F64:
    kernel = np.hanning(25)
    return np.convolve(np.pad(values, 12, "edge"), kernel / kernel.sum(), "valid")


def clay_points(a: F64, y: F64, time: float, r: F64 | None = None) -> F64:
    """Camera positions (..., 3) in cm of places on the clay, ``r`` from the axis (``radius`` when not known yet)."""
    r, turn = radius(a, y) if r is None else r, a + turned(time)
    place = np.stack([r * np.sin(turn), TABLE - y, DISTANCE - r * np.cos(turn)], -1)
    return np.asarray(place - slide(time))


@lru_cache(maxsize=1)
def make_clay() -> tuple[F32, F32]:
    """Maps of the clay, bare and marked: albedo (3), slopes of the relief along and up, openness; (rows, cols, 6).

    Rows go up, columns around from the back of the head.
    """
    rows, cols = int(TALL * DENSITY), int(2 * np.pi * GIRTH * DENSITY)
    up = ((np.arange(rows, dtype=np.float32) + 0.5) / DENSITY)[:, None]
    around = ((np.arange(cols, dtype=np.float32) + 0.5) / DENSITY / GIRTH - np.pi)[None]
    broad, middle, fine = (
        fractal((rows, cols), 210, 301, 4),
        fractal((rows, cols), 34, 302, 3),
        fractal((rows, cols), 4.2, 303, 2),
    )
    grog = smoothstep(1.7, 2.3, value_noise((rows, cols), 3.1, 304)) + smoothstep(
        2.1, 2.7, value_noise((rows, cols), 5.4, 305)
    )
    pale = smoothstep(1.9, 2.5, value_noise((rows, cols), 3.6, 306))
    albedo = np.array([0.40, 0.245, 0.165], np.float32) * (1 + 0.07 * broad + 0.05 * middle + 0.045 * fine)[..., None]
    albedo = albedo * (1 - 0.42 * np.clip(grog, 0, 1)[..., None]) + 0.10 * pale[..., None] * np.array(
        [1, 0.9, 0.8], np.float32
    )
    slip = smoothstep(0.2, 1.3, fractal((rows, cols), 120, 307, 3)) * smoothstep(19, 24, up + 0 * around)
    albedo *= 1 - 0.25 * slip[..., None]
    tool = np.sin((0.9 * up + 0.35 * GIRTH * around) * 9 + 2.5 * fractal((rows, cols), 90, 308, 2))
    scraped = smoothstep(0.1, 0.9, fractal((rows, cols), 150, 309, 2))
    relief = 0.006 * fine + 0.016 * middle + 0.006 * tool * scraped - 0.012 * np.clip(grog, 0, 1) + 0.010 * pale
    thumb = value_noise((rows, cols), 95, 310)
    relief = relief + 0.02 * np.tanh(thumb)
    tint, cover, press = _marks(up, around, rows, cols)
    stained = albedo * (1 - cover[..., None]) + tint * cover[..., None]
    return _maps(albedo, relief), _maps(stained, relief + press)


def _maps(albedo: F32, relief: F32) -> F32:
    gy, gx = np.gradient(relief)
    hollow = relief.copy()
    for step in (2, 4, 8):
        hollow = (
            hollow
            + np.roll(hollow, step, 0)
            + np.roll(hollow, -step, 0)
            + np.roll(hollow, step, 1)
            + np.roll(hollow, -step, 1)
        ) / 5
    openness = np.clip(1 + 5.5 * (relief - hollow), 0.4, 1.12)
    return np.ascontiguousarray(
        np.concatenate([albedo, np.stack([gx * DENSITY, gy * DENSITY, openness], -1)], -1), np.float32
    )


def _marks(up: F32, around: F32, rows: int, cols: int) -> tuple[F32, F32, F32]:
    """The stamp (pressed, a wash of iron in it), a crack and settled dust: tint (3), coverage, relief (cm)."""
    x, y = (around - STAMP[0]) * GIRTH, up - STAMP[1]
    far = np.hypot(x, y)
    worn = np.clip(1 + 0.22 * fractal((rows, cols), 11, 321, 3), 0.4, 1.3)
    ring = smoothstep(0.11, 0.04, np.abs(far - STAMP_RADIUS))
    stem = smoothstep(0.10, 0.04, np.abs(x + 0.05)) * (np.abs(y) < 0.95)
    leaf = smoothstep(0.10, 0.04, np.abs(np.hypot(x - 0.44, y - 0.25) - 0.44)) * (x > -0.02)
    foot = smoothstep(0.10, 0.04, np.abs(y + 0.90)) * (np.abs(x) < 0.6)
    dots = sum(
        smoothstep(0.14, 0.07, np.hypot(x - px, y - py)) for px, py in ((-0.62, 0.45), (-0.62, -0.2), (0.6, -0.52))
    )
    pressed = np.clip(np.maximum.reduce([ring, stem, leaf, foot, np.asarray(dots, np.float32)]), 0, 1) * worn
    disc = smoothstep(STAMP_RADIUS + 0.25, STAMP_RADIUS - 0.1, far)
    cx, cy = (around - CRACK[0]) * GIRTH, up - CRACK[1]
    path = cx + 0.42 * cy + 0.20 * np.sin(1.9 * cy) + 0.13 * fractal((rows, 1), 16, 322, 3)
    wide = 0.055 * np.clip(1 - (cy / 2.6) ** 2, 0, 1)
    crack = smoothstep(1.5, 0.6, np.abs(path) / np.maximum(wide, 1e-3)) * (np.abs(cy) < 2.6)
    dust = (
        0.75
        * smoothstep(2.45, 2.8, value_noise((rows, cols), 2.6, 323))
        * smoothstep(0.3, 1.2, fractal((rows, cols), 130, 324, 2))
    )
    tint, cover = np.zeros((rows, cols, 3), np.float32), np.zeros((rows, cols), np.float32)
    for amount, colour in (
        (dust, (0.58, 0.55, 0.50)), (0.34 * disc, (0.30, 0.165, 0.105)),
        (0.92 * pressed, (0.095, 0.048, 0.034)), (crack, (0.035, 0.022, 0.017)),
    ):  # fmt: skip
        tint = tint * (1 - amount[..., None]) + np.array(colour, np.float32) * amount[..., None]
        cover = cover * (1 - amount) + amount
    tint = tint / np.maximum(cover, 1e-3)[..., None]
    relief = -0.055 * pressed - 0.02 * disc - 0.06 * crack + 0.012 * dust
    return tint.astype(np.float32), np.clip(cover, 0, 1).astype(np.float32), relief.astype(np.float32)


@lru_cache(maxsize=1)
def make_window() -> F32:
    """What stands behind, out of focus and wider than the frame: a wall, the window's frame, bright slats."""
    wide = WIDTH + 260
    y, x = np.mgrid[0:HEIGHT, 0:wide].astype(np.float32)
    wall = (0.075 + 0.012 * fractal((HEIGHT, wide), 260, 331, 3))[..., None] * np.array([0.95, 1.0, 0.98], np.float32)
    inside = smoothstep(-7, 7, x - 610) * smoothstep(-7, 7, 1300 - x) * smoothstep(-7, 7, 640 - y)
    bend = 3.5 * np.sin(x / 310 + 0.5)
    phase = (y + bend) / 33.0
    slats = smoothstep(-0.75, 0.85, np.sin(2 * np.pi * phase))
    sky = 1.15 - 0.35 * (y / HEIGHT) + 0.12 * fractal((HEIGHT, wide), 180, 332, 2)
    lit = (0.10 + 0.80 * slats * sky)[..., None] * np.array([0.92, 1.0, 1.08], np.float32)
    lit += (0.11 * (1 - slats))[..., None] * np.array([1.0, 0.86, 0.66], np.float32)
    cord = smoothstep(6, 1, np.abs(x - 860 - 2 * np.sin(y / 90)))[..., None] * 0.5
    lit = lit * (1 - cord)
    post = (smoothstep(-7, 7, x - 1004) * smoothstep(-7, 7, 1040 - x))[..., None]
    lit = lit * (1 - post) + 0.16 * post * np.array([0.9, 0.95, 1.0], np.float32)
    sill = (
        smoothstep(-6, 6, y - 640)[..., None]
        * smoothstep(-6, 6, 672 - y)[..., None]
        * smoothstep(-20, 20, x - 560)[..., None]
    )
    out = wall * (1 - inside[..., None]) + lit * inside[..., None]
    out = out * (1 - sill) + sill * np.array([0.34, 0.33, 0.30], np.float32)
    table = smoothstep(-3, 3, y - 690)[..., None]
    return np.asarray(out * (1 - table) + table * np.array([0.11, 0.085, 0.07], np.float32), np.float32)


def _behind(time: float, jitter: tuple[float, float]) -> F32:
    """The window at a time: it moves less than the head, being far; the day's light comes and goes."""
    shift = 130 + 9.0 * float(slide(time)[0]) + jitter[0]
    whole, part = int(np.floor(shift)), np.float32(shift - np.floor(shift))
    place = make_window()
    seen = place[:, whole : whole + WIDTH] * (1 - part) + place[:, whole + 1 : whole + 1 + WIDTH] * part
    return np.asarray(seen * np.float32(_day(time)), np.float32)


def _day(time: float) -> float:
    return float(2 ** (0.30 * np.sin(2 * np.pi * (time - FIRST) / 70 + 0.7)))


@lru_cache(maxsize=1)
def _mesh() -> tuple[F64, F64]:
    return np.meshgrid(np.linspace(-np.pi, np.pi, AROUND), np.linspace(0.0, TALL, UP))


@lru_cache(maxsize=1)
def _mesh_radii() -> tuple[F64, F64, F64]:
    """Radii at the mesh's places, and a small step around and down from them."""
    a, y = _mesh()
    return radius(a, y), radius(a + STEP, y), radius(a, y - STEP)


@lru_cache(maxsize=1)
def _sky_seen() -> F64:
    """How open each place of the mesh is, by how far it lies under its surroundings (1 = open)."""
    depth = _mesh_radii()[0]
    around = depth.copy()
    for _ in range(30):
        around = (
            around + np.roll(around, 2, 0) + np.roll(around, -2, 0) + np.roll(around, 2, 1) + np.roll(around, -2, 1)
        ) / 5
    around[:6], around[-6:] = depth[:6], depth[-6:]
    return np.asarray(np.clip(0.95 + 0.55 * (depth - around), 0.35, 1.05))


def buffers(time: float, jitter: tuple[float, float]) -> tuple[F32, F32]:
    """Depth, and (around, up, tangents around and up, openness) per pixel."""
    a, y = _mesh()
    here, beside, below = _mesh_radii()
    points = clay_points(a, y, time, here)
    by_a = (clay_points(a + STEP, y, time, beside) - points) / STEP / GIRTH
    by_y = (clay_points(a, y - STEP, time, below) - points) / -STEP
    values = np.concatenate([a[..., None], y[..., None], by_a, by_y, _sky_seen()[..., None]], -1)
    depth, buf = raster.empty_buffers(9)
    raster.draw_grid(points, values.astype(np.float32), jitter, depth, buf)
    return depth, buf


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _shade(depth, buf, maps, key, key_strength, day, out):  # type: ignore[no-untyped-def]
    """Lay the lit clay over ``out`` where the mesh was drawn."""
    rows, cols, _ = maps.shape
    height, width = depth.shape
    half_x, half_y, half_z = key[0], key[1], key[2] - 1.0
    size = np.sqrt(half_x * half_x + half_y * half_y + half_z * half_z)
    half_x, half_y, half_z = half_x / size, half_y / size, half_z / size
    texel = np.zeros(6, np.float32)
    for py in range(height):
        for px in range(width):
            if depth[py, px] > 1e6:
                continue
            u = min(max((buf[py, px, 0] + np.pi) * GIRTH * DENSITY - 0.5, 0.0), cols - 1.001)
            v = min(max(buf[py, px, 1] * DENSITY - 0.5, 0.0), rows - 1.001)
            x, y = int(u), int(v)
            fx, fy = u - x, v - y
            for k in range(6):
                upper = maps[y, x, k] * (1 - fx) + maps[y, x + 1, k] * fx
                lower = maps[y + 1, x, k] * (1 - fx) + maps[y + 1, x + 1, k] * fx
                texel[k] = upper * (1 - fy) + lower * fy
            ax, ay, az = buf[py, px, 2], buf[py, px, 3], buf[py, px, 4]
            bx, by, bz = buf[py, px, 5], buf[py, px, 6], buf[py, px, 7]
            nx, ny, nz = by * az - bz * ay, bz * ax - bx * az, bx * ay - by * ax
            if nz > 0:
                nx, ny, nz = -nx, -ny, -nz
            size = 1 / np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx * size, ny * size, nz * size
            along = texel[3] / (ax * ax + ay * ay + az * az)
            upward = texel[4] / (bx * bx + by * by + bz * bz)
            nx, ny, nz = nx - along * ax - upward * bx, ny - along * ay - upward * by, nz - along * az - upward * bz
            size = 1 / np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx * size, ny * size, nz * size
            open_sky = buf[py, px, 8] * texel[5]
            facing = max(0.0, (nx * key[0] + ny * key[1] + nz * key[2] + 0.12) / 1.12)
            window = max(0.0, 0.80 * nx + 0.45 * nz + 0.05) ** 1.3  # the window's own light, from behind on the right
            sheen = 0.05 * max(0.0, nx * half_x + ny * half_y + nz * half_z) ** 14
            top = 0.5 - 0.5 * ny
            lamp = key_strength * facing * (0.35 + 0.65 * open_sky)
            for k in range(3):
                warm = 1.10 if k == 0 else (1.0 if k == 1 else 0.82)
                cold = 0.92 if k == 0 else (1.0 if k == 1 else 1.08)
                light = lamp * warm + day * open_sky * cold * (0.085 + 0.10 * top + 0.95 * window)
                out[py, px, k] = texel[k] * light + sheen * key_strength * warm * open_sky


def render(frame: int, seed: int = 1) -> tuple[F32, F32]:
    """The frame with its marks and without: linear BT.709 light (h, w, 3), averaged over the open shutter, a little soft."""
    sums = [np.zeros((HEIGHT, WIDTH, 3), np.float32) for _ in range(2)]
    bare, marked = make_clay()
    key = np.array([-0.66, -0.42, -0.62])
    key /= np.linalg.norm(key)
    for k, jitter in enumerate(JITTER):
        time = frame + SHUTTER * ((k + 0.5) / SUBFRAMES - 0.5)
        depth, buf = buffers(time, jitter)
        behind = _behind(time, jitter)
        strength = 1.05 * (1 + 0.05 * np.sin(0.31 * time))
        for total, maps in zip(sums, (marked, bare), strict=True):
            picture = behind.copy()
            _shade(depth, buf, maps, key, strength, _day(time), picture)
            total += picture
    return _lens(sums[0] / np.float32(SUBFRAMES)), _lens(sums[1] / np.float32(SUBFRAMES))


def _lens(picture: F32) -> F32:
    """A Gaussian of the lens's softness."""
    reach = np.arange(-3, 4)
    kernel = np.exp(-0.5 * (reach / LENS_SOFT) ** 2)
    kernel = (kernel / kernel.sum()).astype(np.float32)
    for axis in (0, 1):
        padded = np.pad(picture, [(3, 3) if k == axis else (0, 0) for k in range(3)], "edge")
        size = picture.shape[axis]
        picture = sum(  # type: ignore[assignment]
            weight * (padded[k : k + size] if axis == 0 else padded[:, k : k + size]) for k, weight in enumerate(kernel)
        )
    return np.asarray(picture, np.float32)


def truth(frames: list[int], step: int = 8, seed: int = 1) -> dict[str, NDArray[np.generic]]:
    """Positions and visibility of the anchor pose's grid on every frame, at mid-shutter."""
    return places.truth(clay_points, buffers, frames, ANCHOR, (0.05, 0.3), TOO_FAR, step)
