"""The scene ``yard``: the studio's yard from a slow crane that comes nearer, so that the painted sign on the wall grows to
twice its size; people and a handcart pass, and a station's overlay stands in the corner of the finished film.

Two planes, wall and ground, seen by a pinhole camera, and flat figures that walk between; positions are in cm, x right,
y down from the sign's middle, z towards the wall. Every instant's map from wall to picture is exact.
"""

from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from demo.noise import fractal, smoothstep

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

WIDTH, HEIGHT = 1280, 720
FIRST, COUNT = 0, 56
RATE = (25, 1)
ANCHOR = 40
FOCAL = 1500.0
GROUND = 205.0  # cm below the sign's middle
DENSITY = 2.0  # texture px a cm
HALF_WIDE = 900.0  # cm of wall and of ground
WALL_TOP, GROUND_DEEP = -560.0, 1700.0
SIGN_RADIUS = 62.0
SUBFRAMES, SHUTTER = 4, 0.5
JITTER = [(-0.25, -0.17), (0.25, 0.17), (-0.08, 0.39), (0.08, -0.39)]
OVERLAY = (1126.0, 84.0)  # its middle in the frame, px


def camera(time: float, seed: int = 1) -> tuple[F64, F64]:
    """Position (3,) in cm and turn (3, 3) of the camera: an arm that swings in and down, and never quite still."""
    t = (time - FIRST) / (COUNT - 1)
    eased = t * t * (3 - 2 * t) * 0.55 + 0.45 * t
    away = 1500.0 * 2.0 ** (-1.04 * eased)
    place = np.array([-190 + 205 * eased, -150 + 95 * eased, -away])
    place += np.array([1.2 * np.sin(9.0 * t), 1.6 * np.sin(6.1 * t + 1) + 0.5 * np.sin(25 * t), 0.0])
    aim = np.array([30.0 - 34 * eased, 22.0, 0.0]) - place
    pan = np.arctan2(aim[0], aim[2]) + 0.0012 * np.sin(11 * t)
    tilt = np.arctan2(aim[1], np.hypot(aim[0], aim[2])) + 0.0010 * np.sin(14 * t + 2)
    roll = 0.004 * np.sin(3 * t)
    turned = _about(2, roll) @ _about(0, tilt) @ _about(1, -pan)
    return place, turned


def _about(axis: int, angle: float) -> F64:
    c, s = np.cos(angle), np.sin(angle)
    one, two = [k for k in range(3) if k != axis]
    out = np.eye(3)
    out[one, one] = out[two, two] = c
    out[one, two], out[two, one] = (-s, s) if axis != 1 else (s, -s)
    return out


def project(time: float, points: F64) -> F64:
    """Places (..., 3) in cm to picture px."""
    place, turned = camera(time)
    seen = (points - place) @ turned.T
    centre = np.array([(WIDTH - 1) / 2, (HEIGHT - 1) / 2])
    return np.asarray(FOCAL * seen[..., :2] / seen[..., 2:] + centre)


def to_picture(time: float, wall: F64) -> F64:
    """Places (..., 2) on the wall to picture px."""
    return project(time, np.concatenate([wall, np.zeros((*wall.shape[:-1], 1))], -1))


def _rays(time: float, pixels: F64) -> tuple[F64, F64]:
    place, turned = camera(time)
    centre = np.array([(WIDTH - 1) / 2, (HEIGHT - 1) / 2])
    flat = np.concatenate([(pixels - centre) / FOCAL, np.ones((*pixels.shape[:-1], 1))], -1)
    return place, flat @ turned


def to_wall(time: float, pixels: F64) -> F64:
    """Picture px (..., 2) to places on the wall's plane."""
    place, ray = _rays(time, pixels)
    far = -place[2] / ray[..., 2:]
    return np.asarray(place[:2] + far * ray[..., :2])


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


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add_texel(maps, u, v, share, out):  # type: ignore[no-untyped-def]
    rows, cols, _ = maps.shape
    u, v = min(max(u, 0.0), cols - 1.001), min(max(v, 0.0), rows - 1.001)
    x, y = int(u), int(v)
    fx, fy = np.float32(u - x), np.float32(v - y)
    for k in range(3):
        upper = maps[y, x, k] * (1 - fx) + maps[y, x + 1, k] * fx
        out[k] += share * (upper * (1 - fy) + (maps[y + 1, x, k] * (1 - fx) + maps[y + 1, x + 1, k] * fx) * fy)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _look_up(levels, scale, u, v, out):  # type: ignore[no-untyped-def]
    """``out`` (3,): the map where its pixels are ``scale`` of its own apart, between the two levels that are nearest."""
    out[:] = 0
    low = 0 if scale < 2.0 else 1
    part = np.float32(min(max(scale / 2**low - 1.0, 0.0), 1.0))
    size = 1 << low
    _add_texel(levels[low], (u + 0.5) / size - 0.5, (v + 0.5) / size - 0.5, 1 - part, out)
    if part > 0.02:
        size *= 2
        _add_texel(levels[low + 1], (u + 0.5) / size - 0.5, (v + 0.5) / size - 0.5, part, out)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _paint(place, turned, jitter, walls, bare, grounds, day, shade, with_sign, without):  # type: ignore[no-untyped-def]
    """The two planes, lit, through one instant's camera."""
    height, width, _ = with_sign.shape
    albedo = np.zeros(3, np.float32)
    for py in range(height):
        for px in range(width):
            sx, sy = (px - jitter[0] - (width - 1) / 2) / FOCAL, (py - jitter[1] - (height - 1) / 2) / FOCAL
            rx = turned[0, 0] * sx + turned[1, 0] * sy + turned[2, 0]
            ry = turned[0, 1] * sx + turned[1, 1] * sy + turned[2, 1]
            rz = turned[0, 2] * sx + turned[1, 2] * sy + turned[2, 2]
            far = -place[2] / rz
            x, y = place[0] + far * rx, place[1] + far * ry
            light = day * (1 + 0.10 * x / HALF_WIDE)
            if y < GROUND:
                edge = (x * 0.42 - y - 95 + shade) / 70  # the neighbour's roof keeps the sun off part of the wall
                sun = 1 / (1 + np.exp(-4 * edge))
                light *= 0.62 + 0.55 * sun
                near = 1 - 0.35 * np.exp(-(GROUND - y) / 18)
                u, v = (x + HALF_WIDE) * DENSITY, (y - WALL_TOP) * DENSITY
                scale = far / FOCAL * DENSITY
                _look_up(bare, scale, u, v, albedo)
                for k in range(3):
                    without[py, px, k] = with_sign[py, px, k] = albedo[k] * light * near
                if abs(x) < 70 and abs(y) < 90:
                    _look_up(walls, scale, u, v, albedo)
                    for k in range(3):
                        with_sign[py, px, k] = albedo[k] * light * near
            else:
                far = (GROUND - place[1]) / ry
                x, z = place[0] + far * rx, place[2] + far * rz
                near = 1 - 0.45 * np.exp(z / 26)
                scale = far * far / FOCAL / (GROUND - place[1]) * DENSITY / 2 * 0.6
                u, v = (x + HALF_WIDE) * DENSITY / 2, -z * DENSITY / 2
                _look_up(grounds, scale, u, v, albedo)
                for k in range(3):
                    without[py, px, k] = with_sign[py, px, k] = albedo[k] * day * 1.15 * near


# Someone who walks: where at the first frame (x, z cm), cm a frame, tall, tint of smock, phase, whether with the cart
WALKERS = (
    (-560.0, -150.0, 12.5, 172.0, (0.09, 0.11, 0.15), 0.3, False),
    (640.0, -300.0, -10.5, 166.0, (0.20, 0.085, 0.055), 1.7, True),
    (-150.0, -95.0, -6.0, 176.0, (0.19, 0.18, 0.15), 2.6, False),
)


def _limb(x: F32, y: F32, one: tuple[float, float], two: tuple[float, float], wide: float) -> F32:
    """How far inside (cm) a place is of a limb between two joints."""
    out = np.empty(x.shape, np.float32)
    _capsule(x, y, *(np.float32(value) for value in (*one, *two, wide)), out)
    return out


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _capsule(x, y, left, low, right, high, wide, out):  # type: ignore[no-untyped-def]
    dx, dy = right - left, high - low
    long = dx * dx + dy * dy
    for row in range(x.shape[0]):
        for col in range(x.shape[1]):
            px, py = x[row, col] - left, y[row, col] - low
            along = min(max((px * dx + py * dy) / long, np.float32(0)), np.float32(1))
            px, py = px - along * dx, py - along * dy
            out[row, col] = wide - np.sqrt(px * px + py * py)


def _figure(x: F32, y: F32, walker: tuple, time: float) -> list[tuple[F32, tuple[float, float, float]]]:  # type: ignore[type-arg]
    """Parts of a walker, back to front: how far inside (cm) and albedo, at places right of and above their feet (cm)."""
    _, _, pace, tall, tint, phase, _ = walker
    way = np.sign(pace)
    swing = np.sin(2 * np.pi * time * abs(pace) / 150 + phase)
    hip, neck = 0.52 * tall, 0.83 * tall
    legs, skin, hair = (0.045, 0.045, 0.055), (0.34, 0.20, 0.14), (0.035, 0.026, 0.02)
    parts = []
    for side in (-1, 1):
        foot = side * 30 * swing
        knee = (0.5 * foot + way * 7, 0.27 * tall)
        parts.append(
            (
                np.maximum(
                    _limb(x, y, (0, hip), knee, 8.5), _limb(x, y, knee, (foot, 6 + 5 * max(0, side * swing)), 6.0)
                ),
                legs,
            )
        )
        parts.append((_limb(x, y, (foot, 5), (foot + way * 13, 4), 4.5), hair))
    far_arm, near_arm = ((-way * 26 * swing, hip + 4), (way * 26 * swing, hip + 4))
    parts.insert(0, (_limb(x, y, (0, neck - 8), far_arm, 5.5), tuple(0.7 * c for c in tint)))
    body = np.maximum(
        _limb(x, y, (0, hip - 22), (way * 2, neck - 12), 17.5),
        _limb(x, y, (way * 1, neck - 14), (way * 3, neck - 6), 19),
    )
    parts += [(body, tint), (_limb(x, y, (way * 3, neck), (way * 4, neck + 6), 6), skin)]
    head = 11.5 - np.hypot(x - way * 5, (y - neck - 15) * 0.86)
    parts += [
        (head, skin),
        (
            np.minimum(
                11.9 - np.hypot(x - way * 4, (y - neck - 16) * 0.86),
                (y - neck - 17) * way * way + 4 - way * (x - way * 4) * 0.7,
            ),
            hair,
        ),
    ]
    parts += [
        (_limb(x, y, (way * 1, neck - 8), near_arm, 5.5), tuple(1.15 * c for c in tint)),
        (5.5 - np.hypot(x - near_arm[0], y - near_arm[1] + 3), skin),
    ]
    return parts


def _cart(x: F32, y: F32, time: float, pace: float) -> list[tuple[F32, tuple[float, float, float]]]:
    """A handcart with three crocks, ahead of who pushes it."""
    way = float(np.sign(pace))
    middle = way * 108
    x = x - middle
    turn = time * pace / 34
    wheel = 34 - np.hypot(x, y - 34)
    rim = 4.0 - np.abs(np.hypot(x, y - 34) - 31)
    angle = np.arctan2(y - 34, x) - turn
    spokes = np.minimum(1.9 - np.abs(np.sin(angle * 4)) * np.hypot(x, y - 34) / 4 * 0.9, wheel - 4)
    box = np.minimum(62 - np.abs(x), 15 - np.abs(y - 62))
    planks = np.minimum(box, 1.0 - np.abs((y - 62) % 10 - 5) + 3.2)
    shaft = _limb(x, y, (-way * 60, 66), (-way * 104, 92), 2.6)
    crocks: list[tuple[F32, tuple[float, float, float]]] = []
    for at, wide, high, colour in (
        (-36, 17, 26, (0.36, 0.20, 0.12)),
        (2, 20, 33, (0.16, 0.22, 0.21)),
        (38, 15, 23, (0.45, 0.38, 0.28)),
    ):
        crocks.append(
            (
                np.maximum(
                    wide - np.hypot(x - at, (y - 76 - 0.5 * high) * wide / high * 1.6),
                    np.minimum(0.55 * wide - np.abs(x - at), 4 - np.abs(y - 76 - 1.12 * high)),
                ),
                colour,
            )
        )
    return [
        *crocks,
        (box, (0.10, 0.07, 0.045)),
        (planks, (0.19, 0.135, 0.085)),
        (shaft, (0.17, 0.12, 0.08)),
        (rim, (0.06, 0.055, 0.05)),
        (spokes, (0.09, 0.075, 0.06)),
    ]


def _draw_walkers(time: float, jitter: tuple[float, float], day: float, pictures: list[F32]) -> None:
    """Lay who passes, far ones first, over the pictures, with their contact shade on the ground."""
    place, _ = camera(time)
    for walker in sorted(WALKERS, key=lambda one: -one[1]):
        x0, z, pace, tall, _, phase, pushes = walker
        feet = np.array([x0 + pace * time, GROUND, z])
        corners = (
            project(
                time, feet + np.array([[-190, 10, 0], [190, 10, 0], [-190, -tall - 15, 0], [190, -tall - 15, 0]], float)
            )
            + jitter
        )
        left, top = np.floor(corners.min(0)).astype(int)
        right, bottom = np.ceil(corners.max(0)).astype(int)
        left, top, right, bottom = max(left, 0), max(top, 0), min(right, WIDTH), min(bottom, HEIGHT)
        if left >= right or top >= bottom:
            continue
        ys, xs = np.mgrid[top:bottom, left:right].astype(float)
        _, ray = _rays(time, np.stack([xs - jitter[0], ys - jitter[1]], -1))
        far = (z - place[2]) / ray[..., 2]
        x = (place[0] + far * ray[..., 0] - feet[0]).astype(np.float32)
        y = (GROUND - (place[1] + far * ray[..., 1])).astype(np.float32)
        bob = 1.6 * np.abs(np.sin(2 * np.pi * time * abs(pace) / 150 + phase))
        size = float(np.linalg.norm(place - feet)) / FOCAL  # cm a px
        contact = 0.5 * np.exp(-((x / 38) ** 2) - ((y - 1) / 7.0) ** 2) + (
            0.45 * np.exp(-(((x - np.sign(pace) * 108) / 62) ** 2) - ((y - 1) / 7.0) ** 2) if pushes else 0
        )
        parts = _figure(x, y - bob, walker, time)
        if pushes:
            parts = [*_cart(x, y, time, pace), *parts]
        layer, bare = np.zeros((*x.shape, 3), np.float32), (1 - np.clip(contact, 0, 0.8)).astype(np.float32)
        for inside, colour in parts:
            near = inside > -size
            if not near.any():
                continue
            rows, cols = (np.flatnonzero(near.any(axis)) for axis in (1, 0))
            at = slice(rows[0], rows[-1] + 1), slice(cols[0], cols[-1] + 1)
            cover = smoothstep(-0.5, 0.5, (inside[at] / size).astype(np.float32))
            rounded = 0.62 + 0.38 * smoothstep(0, 12, inside[at].astype(np.float32))
            weave = 1 + 0.07 * np.sin(x[at] / 2.3 + np.sin(y[at] / 9)) * np.sin(y[at] / 3.1)
            layer[at] *= (1 - cover)[..., None]
            layer[at] += (cover * rounded * weave.astype(np.float32))[..., None] * np.array(colour, np.float32)
            bare[at] *= 1 - cover
        for picture in pictures:
            part = picture[top:bottom, left:right]
            part *= bare[..., None]
            part += layer * np.float32(1.05 * day)


def render(frame: int, seed: int = 1) -> tuple[F32, F32, F32]:
    """The frame with the sign, without it, and without it or anyone who passes: linear BT.709 light (h, w, 3), averaged over
    the open shutter. The overlay is no light: ``overlaid`` lays it on the encoded picture."""
    sums = [np.zeros((HEIGHT, WIDTH, 3), np.float32) for _ in range(3)]
    walls, bare, grounds = (tuple(levels) for levels in make_maps())
    for k, jitter in enumerate(JITTER):
        time = frame + SHUTTER * ((k + 0.5) / SUBFRAMES - 0.5)
        day = float(0.95 * 2 ** (0.32 * np.sin(2 * np.pi * time / 52 + 0.9)))
        marked, clean = np.empty_like(sums[0]), np.empty_like(sums[0])
        place, turned = camera(time)
        _paint(place, turned, jitter, walls, bare, grounds, day, 0.9 * time, marked, clean)
        sums[2] += clean
        _draw_walkers(time, jitter, day, [marked, clean])
        sums[0] += marked
        sums[1] += clean
    return tuple(total / np.float32(SUBFRAMES) for total in sums)  # type: ignore[return-value]


@lru_cache(maxsize=1)
def overlay() -> tuple[F32, F32]:
    """The station's overlay (h, w): how much of it lies over the picture, and its own tone."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    x, y = x - OVERLAY[0], y - OVERLAY[1]

    def shape(dx: float, dy: float, soft: float) -> F32:
        px, py = x - dx, y - dy
        ring = smoothstep(-soft, soft, 4.6 - np.abs(np.hypot(px + 38, py) - 21))
        bar = smoothstep(-soft, soft, 3.0 - np.abs(px + 38 - 0.5 * py)) * smoothstep(-soft, soft, 14 - np.abs(py))
        lines = [
            smoothstep(-soft, soft, wide - np.abs(px - 4 - wide)) * smoothstep(-soft, soft, 4.2 - np.abs(py - at))
            for at, wide in ((-15, 34), (0, 25), (15, 30))
        ]
        return np.asarray(np.clip(np.maximum.reduce([ring, bar, *lines]), 0, 1), np.float32)

    front, shadow = shape(0, 0, 0.7), 0.35 * shape(2, 2, 3.0)
    cover = 0.72 * front + (1 - 0.72 * front) * shadow
    return cover, np.asarray(0.93 * 0.72 * front / np.maximum(cover, 1e-4), np.float32)


def overlaid(encoded: F32) -> F32:
    """The finished film's picture (h, w, 3, encoded): the overlay stands in its corner, without grain of its own."""
    cover, tone = overlay()
    return np.asarray(encoded * (1 - cover[..., None]) + (cover * tone)[..., None], np.float32)


def truth(frames: list[int], step: int = 8, seed: int = 1) -> dict[str, NDArray[np.generic]]:
    """Positions and visibility of the wall at the anchor pose's grid on every frame, at mid-shutter."""
    ys, xs = np.mgrid[0:HEIGHT:step, 0:WIDTH:step].astype(float)
    wall = to_wall(float(ANCHOR), np.stack([xs, ys], -1))
    on = (wall[..., 1] < GROUND - 2) & (np.abs(wall[..., 0]) < HALF_WIDE)
    positions = np.stack([to_picture(float(frame), wall) for frame in frames])
    visible = np.zeros(positions.shape[:3], bool)
    for k, frame in enumerate(frames):
        x, y = positions[k, ..., 0], positions[k, ..., 1]
        inside = (x >= 0) & (y >= 0) & (x <= WIDTH - 1) & (y <= HEIGHT - 1)
        seen = _uncovered(float(frame))
        near = seen[np.round(y).astype(int).clip(0, HEIGHT - 1), np.round(x).astype(int).clip(0, WIDTH - 1)]
        visible[k] = on & inside & near
    return {
        "frames": np.array(frames), "anchor": np.array(ANCHOR), "step": np.array(step),
        "positions": positions.astype(np.float32), "visible": visible,
    }  # fmt: skip


def _uncovered(time: float) -> NDArray[np.bool_]:
    """Where nobody passes and no overlay lies (h, w): who passes is laid over white and over black alike."""
    light = [np.full((HEIGHT, WIDTH, 3), value, np.float32) for value in (0.0, 1.0)]
    _draw_walkers(time, (0.0, 0.0), 1.0, light)
    return np.asarray(((light[1] - light[0])[..., 0] > 0.98) & (overlay()[0] < 0.02))
