"""The scene ``wall``: a painted sign on the workshop's plaster, handheld, while someone walks past in front.

A plane, a camera that wobbles, and a soft silhouette; positions on the wall are in cm, and every instant's map from wall
to picture is exact.
"""

from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from demo.noise import fractal, smoothstep, value_noise

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

WIDTH, HEIGHT = 1280, 720
FIRST, COUNT = 86401, 48
RATE = (25, 1)
ANCHOR = FIRST + 8
FOCAL, DISTANCE = 1500.0, 260.0  # px, cm
DENSITY = 6.4  # texture px a cm
HALF_WIDE, HALF_HIGH = 140.0, 84.0  # cm of wall that is painted
SIGN = (12.0, -8.0)  # middle of the sign, cm
SIGN_RADIUS = 25.0
SUBFRAMES, SHUTTER = 5, 0.5
REACH = 250.0  # px that who passes reaches to each side


@lru_cache(maxsize=1)
def make_wall() -> F32:
    """Albedo of the wall (rows, cols, 3) with the sign and, as a second picture, without it, side by side in depth."""
    rows, cols = int(2 * HALF_HIGH * DENSITY), int(2 * HALF_WIDE * DENSITY)
    trowel = fractal((rows, cols), 90, 11, 4)
    fine = fractal((rows, cols), 7, 12, 3)
    stain = smoothstep(0.6, 1.9, fractal((rows, cols), 260, 13, 3))
    pits = smoothstep(2.1, 2.6, value_noise((rows, cols), 5, 14))
    tone = 0.52 + 0.035 * trowel + 0.022 * fine - 0.10 * stain - 0.14 * pits
    plaster = tone[..., None] * np.array([1.0, 0.93, 0.82], np.float32)
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    x, y = x / DENSITY - HALF_WIDE, y / DENSITY - HALF_HIGH
    skirting = smoothstep(60, 60.6, y)[..., None]
    plaster = plaster * (1 - skirting) + skirting * (0.16 + 0.012 * fine[..., None]) * np.array(
        [0.75, 0.9, 0.85], np.float32
    )
    paint = _sign(x - SIGN[0], y - SIGN[1]) * np.clip(0.92 - 0.10 * np.maximum(fine, 0) - 0.5 * pits, 0, 1)
    marked = plaster * (1 - paint[..., None]) + paint[..., None] * np.array([0.055, 0.13, 0.21], np.float32) * (
        1 + 0.1 * fine[..., None]
    )
    return np.ascontiguousarray(np.concatenate([marked, plaster, paint[..., None]], -1), np.float32)


def _sign(x: F32, y: F32) -> F32:
    """The studio's mark: a ring, a jug's outline in it, and a bar under it; coverage 0..1."""
    soft = 0.25
    far = np.hypot(x, y)
    ring = smoothstep(-soft, soft, 2.0 - np.abs(far - SIGN_RADIUS + 3))
    belly = np.hypot(x / 1.05, (y - 3) / 1.15)
    jug = smoothstep(-soft, soft, 10.5 - belly)
    neck = smoothstep(-soft, soft, 5.2 - np.abs(x)) * smoothstep(-soft, soft, 6.5 - np.abs(y + 9))
    handle = smoothstep(-soft, soft, 1.3 - np.abs(np.hypot(x - 10.5, y + 2) - 5.5)) * smoothstep(-1, 1, x - 8)
    bar = smoothstep(-soft, soft, 22 - np.abs(x)) * smoothstep(-soft, soft, 2.2 - np.abs(y - 31))
    return np.asarray(np.clip(ring + jug + neck + handle + bar, 0, 1), np.float32)


def camera(time: float, seed: int = 1) -> F64:
    """Homography (3, 3) from wall cm to picture px: a hand's wobble (about .05 cycles a frame) and a slow drift."""
    rng = np.random.default_rng(100 + seed)
    sway = np.zeros(6)
    for k, speed in enumerate((0.011, 0.027, 0.053)):
        phase, size = rng.uniform(0, 2 * np.pi, 6), rng.normal(0, 1, 6) / (1 + k)
        sway += size * np.sin(2 * np.pi * speed * time + phase)
    pan, tilt, roll = sway[:3] * np.array([0.010, 0.007, 0.006]) + np.array([0.0006 * time, 0, 0])
    shift = sway[3:] * np.array([2.0, 1.4, 2.4])
    turn = _turn(tilt, 0) @ _turn(pan, 1) @ _turn(roll, 2)
    intrinsic = np.array([[FOCAL, 0, (WIDTH - 1) / 2], [0, FOCAL, (HEIGHT - 1) / 2], [0, 0, 1.0]])
    plane = np.stack([turn[:, 0], turn[:, 1], turn @ np.array([0, 0, DISTANCE]) + shift], -1)
    return np.asarray(intrinsic @ plane)


def _turn(angle: float, axis: int) -> F64:
    c, s = np.cos(angle), np.sin(angle)
    one, two = [k for k in range(3) if k != axis]
    out = np.eye(3)
    out[one, one] = out[two, two] = c
    out[one, two], out[two, one] = (-s, s) if axis != 1 else (s, -s)
    return out


def to_picture(time: float, points: F64, seed: int = 1) -> F64:
    """Wall points (..., 2) in cm to picture px."""
    h = camera(time, seed)
    scaled = points @ h[:, :2].T + h[:, 2]
    return np.asarray(scaled[..., :2] / scaled[..., 2:])


def to_wall(time: float, pixels: F64, seed: int = 1) -> F64:
    """Picture px (..., 2) to wall cm."""
    h = np.linalg.inv(camera(time, seed))
    scaled = pixels @ h[:, :2].T + h[:, 2]
    return np.asarray(scaled[..., :2] / scaled[..., 2:])


def passer(time: float, x: F64, y: F64) -> F64:
    """How much someone walking past covers a pixel (0..1), out of focus; they cross from the right."""
    x, y = _of_passer(time, x, y)
    head = 74 - np.hypot(x + 6, (y + 14) * 0.80)
    hair = 66 - np.hypot(x - 24, (y + 34) * 0.95)
    knot = 30 - np.hypot(x - 78, y + 40)
    neck = 36 - np.abs(x - 6) + np.minimum(0, 60 - np.abs(y - 90))
    shoulder = 168 - np.hypot(x * 0.95, np.maximum(0, 265 - y) * 1.35) + np.minimum(0, y - 110)
    swing = 46 * np.sin(time * 0.26)
    arm = 44 - np.abs(x + 128 - swing * np.clip((y - 220) / 300, 0, 1)) + np.minimum(0, y - 190)
    inside = np.maximum.reduce([head, hair, knot, neck, shoulder, arm])
    return np.asarray(smoothstep(-13, 13, inside.astype(np.float32)), float)


def _middle(time: float) -> float:
    return float(1520 - 36.0 * (time - 10) + 6 * np.sin(time * 0.52))


def _of_passer(time: float, x: F64, y: F64) -> tuple[F64, F64]:
    return x - _middle(time), y - 150 - 9 * np.cos(time * 0.52 * 2)


def _cloth(time: float, x: F64, y: F64) -> F32:
    """The passer's own shade: a dark smock, hair, a little skin, the window's edge of light on the left."""
    px, py = _of_passer(time, x, y)
    skin = smoothstep(-12, 12, (58 - np.hypot(px + 20, (py - 2) * 0.8)).astype(np.float32))[..., None]
    smock = smoothstep(-14, 14, (py - 116).astype(np.float32))[..., None]
    edge = np.exp(-(((px + 120 + 0.10 * py) / 52) ** 2))[..., None]
    fold = 1 + 0.22 * np.sin(px / 33 + py / 120)[..., None]
    hair = np.array([0.028, 0.021, 0.018])
    colour = hair * (1 - smock) + np.array([0.085, 0.098, 0.118]) * fold * smock
    colour = colour * (1 - skin * (1 - smock)) + np.array([0.30, 0.19, 0.14]) * skin * (1 - smock)
    return np.asarray(colour * (0.6 + 1.0 * edge), np.float32)


def light(time: float, x: F64, y: F64) -> F32:
    """Window light: a slope that crosses the wall, a cloud that passes, a lamp's faint flicker."""
    slope = 1 + 0.28 * (x / 140) * np.cos(0.035 * time) - 0.18 * (y / 84)
    cloud = 2 ** (0.55 * np.sin(2 * np.pi * time / 85 + 0.6))
    flicker = 1 + 0.018 * np.sin(2.1 * time)
    return np.asarray(np.clip(slope, 0.2, None) * cloud * flicker, np.float32)


@njit(cache=True, nogil=True)
def _sampled(maps, wall, first, out):  # type: ignore[no-untyped-def]
    """Bilinear ``maps`` (channels from ``first``) at the places (n, 2) of ``wall``, into ``out`` (n, 3)."""
    rows, cols = maps.shape[:2]
    one = np.float32(1)
    for k in range(len(wall)):
        col = min(max((wall[k, 0] + HALF_WIDE) * DENSITY, 0.0), cols - 1.001)
        row = min(max((wall[k, 1] + HALF_HIGH) * DENSITY, 0.0), rows - 1.001)
        c, r = int(col), int(row)
        fx, fy = np.float32(col - c), np.float32(row - r)
        for n in range(3):
            upper = maps[r, c, first + n] * (one - fx) + maps[r, c + 1, first + n] * fx
            lower = maps[r + 1, c, first + n] * (one - fx) + maps[r + 1, c + 1, first + n] * fx
            out[k, n] = upper * (one - fy) + lower * fy


def _albedos(wall: F64) -> tuple[F32, F32]:
    """Albedo of the wall with the sign and without it at places (h, w, 2)."""
    maps = make_wall()
    seen = np.empty((*wall.shape[:2], 3), np.float32)
    _sampled(maps, wall.reshape(-1, 2), 0, seen.reshape(-1, 3))
    bare = seen.copy()
    signed = np.hypot(wall[..., 0] - SIGN[0], wall[..., 1] - SIGN[1]) < 1.6 * SIGN_RADIUS
    there = np.empty((int(signed.sum()), 3), np.float32)
    _sampled(maps, wall[signed], 3, there)
    bare[signed] = there
    return seen, bare


def render(frame: int, seed: int = 1) -> tuple[F32, F32]:
    """The frame with the sign and without it: linear BT.709 light (h, w, 3), averaged over the open shutter."""
    yy, xx = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    pixels = np.stack([xx, yy], -1)
    marked, clean = np.zeros((HEIGHT, WIDTH, 3), np.float32), np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for k in range(SUBFRAMES):
        time = frame - FIRST + SHUTTER * ((k + 0.5) / SUBFRAMES - 0.5)
        wall = to_wall(time, pixels, seed)
        shade = light(time, wall[..., 0], wall[..., 1])[..., None]
        seen, bare = _albedos(wall)
        left, right = (int(np.clip(_middle(time) + side * REACH, 0, WIDTH)) for side in (-1, 1))
        at = np.s_[:, left:right]  # nobody passes elsewhere
        cover = passer(time, xx[at], yy[at])[..., None].astype(np.float32)
        cloth = _cloth(time, xx[at], yy[at]) * (0.4 + 0.6 * shade[at])
        for total, albedo in ((marked, seen), (clean, bare)):
            lit = albedo * shade
            lit[at] = lit[at] * (1 - cover) + cloth * cover
            total += lit
    return marked * np.float32(0.62 / SUBFRAMES), clean * np.float32(0.62 / SUBFRAMES)


def truth(frames: list[int], step: int = 8, seed: int = 1) -> dict[str, NDArray[np.generic]]:
    """Positions and visibility of the anchor pose's grid on every frame, at mid-shutter."""
    ys, xs = np.mgrid[0:HEIGHT:step, 0:WIDTH:step].astype(float)
    wall = to_wall(float(ANCHOR - FIRST), np.stack([xs, ys], -1), seed)
    positions = np.stack([to_picture(float(frame - FIRST), wall, seed) for frame in frames])
    visible = np.zeros(positions.shape[:3], bool)
    for k, frame in enumerate(frames):
        x, y = positions[k, ..., 0], positions[k, ..., 1]
        inside = (x >= 0) & (y >= 0) & (x <= WIDTH - 1) & (y <= HEIGHT - 1)
        visible[k] = inside & (passer(float(frame - FIRST), x, y) < 0.02)
    return {
        "frames": np.array(frames), "anchor": np.array(ANCHOR), "step": np.array(step),
        "positions": positions.astype(np.float32), "visible": visible,
    }  # fmt: skip
