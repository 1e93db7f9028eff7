"""The scene ``yard``: the studio's yard from a slow crane that comes nearer, so that the painted sign on the wall grows to
twice its size; people and a handcart pass, and a station's overlay stands in the corner of the finished film.

Two planes, wall and ground, seen by a pinhole camera, and flat figures that walk between; positions are in cm, x right,
y down from the sign's middle, z towards the wall. Every instant's map from wall to picture is exact.
"""

from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from demo.noise import smoothstep
from demo.walkers import WALKERS, cart, figure
from demo.yard_maps import DENSITY, GROUND, HALF_WIDE, WALL_TOP, make_maps

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

WIDTH, HEIGHT = 1280, 720
FIRST, COUNT = 0, 56
RATE = (25, 1)
ANCHOR = 40
FOCAL = 1500.0
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
        parts = figure(x, y - bob, walker, time)
        if pushes:
            parts = [*cart(x, y, time, pace), *parts]
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
