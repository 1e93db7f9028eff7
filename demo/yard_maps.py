"""The yard's wall, sign and setts as maps; positions are in cm, x right, y down from the sign's middle."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from demo.noise import fractal, smoothstep

F32 = NDArray[np.float32]

GROUND = 205.0  # cm below the sign's middle
DENSITY = 2.0  # texture px a cm
HALF_WIDE = 900.0  # cm of wall and of ground
WALL_TOP, GROUND_DEEP = -560.0, 1700.0
WALL_TOP, GROUND_DEEP = -560.0, 1700.0
SIGN_RADIUS = 62.0


@lru_cache(maxsize=1)
def make_wall() -> tuple[F32, F32]:
    """The wall with the sign and without: albedo (rows, cols, 3) from its top to the ground."""
    rows, cols = int((GROUND - WALL_TOP) * DENSITY), int(2 * HALF_WIDE * DENSITY)
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    x, y = x / DENSITY - HALF_WIDE, y / DENSITY + WALL_TOP
    course = np.floor(y / 7.5)
    along = x + 11.25 * (course % 2) + 0.8 * np.sin(course * 12.9898) * 2
    brick = np.floor(along / 22.5)
    gap_x = np.abs((along / 22.5) % 1 - 0.5) * 22.5
    gap_y = np.abs((y / 7.5) % 1 - 0.5) * 7.5
    uneven = 0.35 * fractal((rows, cols), 14, 401, 2)
    mortar = np.maximum(smoothstep(10.1, 10.9, gap_x + uneven), smoothstep(2.8, 3.4, gap_y + uneven))
    rng = np.random.default_rng(402)
    own = rng.normal(size=4096).astype(np.float32)
    shade = own[((brick * 131 + course * 17).astype(np.int64)) % 4096]
    warm = own[((brick * 57 + course * 311 + 9).astype(np.int64)) % 4096]
    fine, broad = fractal((rows, cols), 5, 403, 2), fractal((rows, cols), 190, 404, 4)
    tone = 1 + 0.16 * shade + 0.09 * fine + 0.08 * broad
    face = np.stack([0.30 * tone * (1 + 0.07 * warm), 0.155 * tone, 0.105 * tone * (1 - 0.07 * warm)], -1)
    joint = (0.33 + 0.03 * fine)[..., None] * np.array([1.0, 0.96, 0.88], np.float32)
    wall = face * (1 - mortar[..., None]) + joint * mortar[..., None]
    washed = smoothstep(-0.25, 0.35, 0.8 * broad + 0.5 * fractal((rows, cols), 40, 405, 3) + (y + 120) / 190)
    washed = washed * smoothstep(-1.6, -0.5, fine * 0.8 - 0.5 * mortar + 0.2)
    lime = (0.52 + 0.04 * fine - 0.07 * mortar + 0.03 * broad)[..., None] * np.array([1.0, 0.965, 0.89], np.float32)
    wall = wall * (1 - 0.86 * washed[..., None]) + lime * 0.86 * washed[..., None]
    wall *= 1 - (0.35 * smoothstep(120, 205, y) * (0.7 + 0.3 * broad))[..., None]
    streak = smoothstep(0.5, 1.6, fractal((1, cols), 24, 406, 3)) * smoothstep(-400, 100, y)
    wall *= 1 - (0.20 * streak)[..., None]
    wall = _openings(wall, x, y, fine)
    paint = _sign(x, y) * np.clip(0.97 - 0.12 * np.maximum(fine, 0) - 0.24 * mortar - 0.12 * np.maximum(broad, 0), 0, 1)
    colour = np.array([0.045, 0.115, 0.10], np.float32) * (1 + 0.14 * fine)[..., None]
    signed = wall * (1 - paint[..., None]) + colour * paint[..., None]
    return (
        np.ascontiguousarray(np.maximum(signed, 0.01), np.float32),
        np.ascontiguousarray(np.maximum(wall, 0.01), np.float32),
    )


def _openings(wall: F32, x: F32, y: F32, fine: F32) -> F32:
    """A door, two windows and a drainpipe."""
    soft = 0.6
    for left, top, right, bottom, colour in (
        (210, -30, 320, 205, (0.10, 0.16, 0.15)), (-470, -190, -340, -40, (0.03, 0.036, 0.042)),
        (400, -190, 530, -40, (0.03, 0.036, 0.042)),
    ):  # fmt: skip
        inside = smoothstep(-soft, soft, np.minimum(np.minimum(x - left, right - x), np.minimum(y - top, bottom - y)))
        frame = smoothstep(
            -soft, soft, np.minimum(np.minimum(x - left + 9, right + 9 - x), np.minimum(y - top + 9, bottom + 9 - y))
        )
        bars = np.minimum(np.abs(((x - left) % ((right - left) / 2)) - 0.0), np.abs((y - top) % 50))
        panel = (1 + 0.10 * fine) * (1 - 0.45 * smoothstep(4.0, 2.5, bars))
        stone = (0.40 + 0.03 * fine)[..., None] * np.array([1.0, 0.97, 0.9], np.float32)
        wall = wall * (1 - frame[..., None]) + stone * frame[..., None]
        wall = wall * (1 - inside[..., None]) + panel[..., None] * np.array(colour, np.float32) * inside[..., None]
    pipe = smoothstep(-soft, soft, 5.0 - np.abs(x + 205))
    round_it = (0.35 + 0.65 * np.sqrt(np.clip(1 - ((x + 205) / 5.2) ** 2, 0, 1)))[..., None]
    return np.asarray(
        wall * (1 - pipe[..., None]) + pipe[..., None] * round_it * np.array([0.11, 0.125, 0.13], np.float32)
    )


def _sign(x: F32, y: F32) -> F32:
    """The studio's painted mark: a round field with a jug left bare in it, and a bar of strokes below; coverage 0..1."""
    soft = 0.7
    far = np.hypot(x, y)
    field = smoothstep(-soft, soft, SIGN_RADIUS - 9 - far)
    ring = smoothstep(-soft, soft, 2.8 - np.abs(far - SIGN_RADIUS + 2.8))
    belly = smoothstep(-soft, soft, 25 - np.hypot(x / 1.05, (y - 8) / 1.15))
    neck = smoothstep(-soft, soft, 12 - np.abs(x)) * smoothstep(-soft, soft, 16 - np.abs(y + 22))
    handle = smoothstep(-soft, soft, 3.2 - np.abs(np.hypot(x - 26, y + 4) - 13)) * smoothstep(-1, 1, x - 20)
    bare = np.clip(belly + neck + handle, 0, 1)
    strokes = (
        smoothstep(-soft, soft, 4.5 - np.abs(((x + 60) % 20) - 10))
        * (np.abs(x) < 60)
        * smoothstep(-soft, soft, 6 - np.abs(y - 78))
    )
    return np.asarray(np.clip(field * (1 - bare) + ring + strokes, 0, 1), np.float32)


@lru_cache(maxsize=1)
def make_ground() -> F32:
    """Setts and their joints: albedo (rows, cols, 3), rows from the wall outwards."""
    rows, cols = int(GROUND_DEEP * DENSITY / 2), int(2 * HALF_WIDE * DENSITY / 2)
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32) * (2 / DENSITY)
    wander = 1.6 * fractal((rows, cols), 30, 411, 2)
    course = np.floor((y + wander) / 13)
    gap = np.minimum(
        6.5 - np.abs(((y + wander) / 13 % 1 - 0.5) * 13),
        8 - np.abs(((x + 7 * (course % 2) + wander) / 16 % 1 - 0.5) * 16),
    )
    rng = np.random.default_rng(412)
    own = rng.normal(size=4096).astype(np.float32)[
        ((np.floor((x + 7 * (course % 2) + wander) / 16) * 71 + course * 13).astype(np.int64)) % 4096
    ]
    fine, broad = fractal((rows, cols), 4, 413, 2), fractal((rows, cols), 150, 414, 4)
    stone = 0.20 * (1 + 0.16 * own + 0.10 * fine + 0.16 * broad) * (0.45 + 0.55 * smoothstep(0.2, 2.6, gap))
    wet = smoothstep(0.5, 1.4, broad + 0.4 * fine)
    colour = stone[..., None] * np.array([1.0, 0.97, 0.90], np.float32) * (1 - 0.42 * wet[..., None])
    moss = smoothstep(1.2, 0.3, gap) * smoothstep(0.2, 1.2, fractal((rows, cols), 120, 415, 3))
    colour = colour * (1 - 0.6 * moss[..., None]) + 0.6 * moss[..., None] * np.array([0.045, 0.07, 0.03], np.float32)
    return np.ascontiguousarray(np.maximum(colour, 0.008), np.float32)


@lru_cache(maxsize=1)
def make_maps() -> list[list[F32]]:
    """Each map at full, half and a quarter of its size, for places that are far: signed wall, bare wall, ground."""
    out = []
    for full in (*make_wall(), make_ground()):
        levels = [full]
        for _ in range(2):
            last = levels[-1][: levels[-1].shape[0] // 2 * 2, : levels[-1].shape[1] // 2 * 2]
            levels.append(
                np.ascontiguousarray((last[::2, ::2] + last[1::2, ::2] + last[::2, 1::2] + last[1::2, 1::2]) / 4)
            )
        out.append(levels)
    return out
