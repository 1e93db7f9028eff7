"""The scene ``jug``: a glazed jug with a price sticker, turned by hand under a lamp; seen through a long lens.

A surface of revolution under parallel projection: every pixel's place on the glaze is exact at any instant.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from demo.noise import fractal, smoothstep, value_noise

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

WIDTH, HEIGHT = 1280, 720
FIRST, COUNT = 0, 48
RATE = (24000, 1001)
ANCHOR = 24
CENTRE = 652.0
TOP, BOTTOM = 96.0, 648.0  # px of the jug's rim and foot
STICKER = (0.05, 372.0)  # angle at the anchor, px down
STICKER_SIZE = (62.0, 44.0)  # half width along the glaze and half height, px
SUBFRAMES, SHUTTER = 5, 0.5
LAMP = np.array([-0.45, -0.55, 0.70])


def radius(y: F64) -> F64:
    """The profile: neck, shoulder, belly, foot (px)."""
    t = np.clip((y - TOP) / (BOTTOM - TOP), 0, 1)
    belly = 212 * np.exp(-(((t - 0.62) / 0.36) ** 2))
    neck = 104 * np.exp(-(((t - 0.04) / 0.20) ** 2))
    return np.asarray(26 + belly + neck - 24 * np.exp(-(((t - 1.0) / 0.06) ** 2)))


def turned(time: float) -> float:
    """Angle of the jug at a time in frames: a hand that turns it, eases, and turns on."""
    t = (time - ANCHOR) / 24
    return float(0.62 * t + 0.13 * np.sin(2.6 * t) + 0.01 * np.sin(11 * t))


@lru_cache(maxsize=1)
def make_glaze() -> F32:
    """Albedo round the jug (rows = px down, cols = angle over 0..2 pi at 512 px a radian), roughness last."""
    rows, cols = HEIGHT, int(2 * np.pi * 256)
    broad, fine = fractal((rows, cols), 120, 31, 4), fractal((rows, cols), 9, 32, 3)
    speckle = smoothstep(1.9, 2.5, value_noise((rows, cols), 3.2, 33)) + 0.7 * smoothstep(
        2.3, 2.9, value_noise((rows, cols), 6, 34)
    )
    y = np.arange(rows, dtype=np.float32)[:, None]
    drip = smoothstep(-14, 14, y - 505 - 26 * fractal((1, cols), 60, 35, 3) - 8 * fractal((1, cols), 16, 36, 2))
    glaze = np.array([0.13, 0.27, 0.29], np.float32) * (1 + 0.16 * broad + 0.05 * fine)[..., None]
    clay = np.array([0.42, 0.27, 0.17], np.float32) * (1 + 0.07 * broad + 0.10 * fine)[..., None]
    albedo = glaze * (1 - drip[..., None]) + clay * drip[..., None]
    albedo *= 1 - 0.75 * np.clip(speckle, 0, 1)[..., None]
    throwing = 0.03 * np.sin(y / 5.2 + 0.8 * fractal((1, cols), 90, 37, 2))
    albedo *= (1 + throwing)[..., None]
    return np.ascontiguousarray(np.concatenate([albedo, 0.9 * drip[..., None]], -1), np.float32)


def sticker(angle: F64, y: F64) -> tuple[F64, F64]:
    """Coverage of the price sticker and how dark its print is, by angle from its middle and px down."""
    x = angle * radius(np.full_like(y, STICKER[1]))
    dy = y - STICKER[1]
    corner = (
        np.maximum(np.abs(x) - STICKER_SIZE[0] + 10, 0) ** 2 + np.maximum(np.abs(dy) - STICKER_SIZE[1] + 10, 0) ** 2
    )
    cover = smoothstep(-0.7, 0.7, (10 - np.sqrt(corner)).astype(np.float32))
    bars = (np.sin(x * 0.9 + 2.0 * np.sin(x * 0.31)) > 0.1) & (np.abs(x) < 44) & (dy > 12) & (dy < 34)
    figure = _figures(x, dy)
    return np.asarray(cover, float), np.asarray(np.clip(bars + figure, 0, 1), float)


def _figures(x: F64, y: F64) -> F64:
    """Two invented price strokes: a ring and a slanted bar, nothing that reads as a brand."""
    ring = smoothstep(-1, 1, (3.2 - np.abs(np.hypot(x + 20, (y + 12) * 0.8) - 13)).astype(np.float32))
    slant = smoothstep(-1, 1, (3.4 - np.abs(x - 14 + 0.35 * (y + 12))).astype(np.float32)) * (np.abs(y + 12) < 18)
    dot = smoothstep(-1, 1, (4 - np.hypot(x - 36, y - 1)).astype(np.float32))
    return np.asarray(np.clip(ring + slant + dot, 0, 1), float)


@lru_cache(maxsize=1)
def make_place() -> F32:
    """The blurred workshop behind and the table under the jug (h, w, 3)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    far = 0.09 + 0.05 * fractal((HEIGHT, WIDTH), 330, 41, 2)
    lamp = 0.55 * np.exp(-(((x - 250) / 210) ** 2 + ((y - 130) / 170) ** 2))
    shelf = 0.10 * smoothstep(-60, 60, 90 - np.abs(y - 210)) * smoothstep(-90, 90, x - 820)
    back = np.clip(far, 0.02, None)[..., None] * np.array([0.9, 0.8, 0.7], np.float32)
    back = (
        back
        + lamp[..., None] * np.array([1.0, 0.78, 0.5], np.float32)
        + shelf[..., None] * np.array([0.6, 0.75, 0.8], np.float32)
    )
    grain = fractal((HEIGHT, WIDTH), 46, 42, 4) + 1.3 * np.sin(y * 0.55 + 2.2 * fractal((HEIGHT, WIDTH), 160, 43, 2))
    table = (0.20 + 0.018 * grain)[..., None] * np.array([1.0, 0.70, 0.46], np.float32)
    contact = 1 - 0.75 * np.exp(-(((x - CENTRE - 30) / 240) ** 2 + ((y - 662) / 34) ** 2))
    edge = smoothstep(-5, 5, y - 560)[..., None]
    return np.asarray(back * (1 - edge) + table * contact[..., None] * edge, np.float32)


def _pose(time: float) -> tuple[float, float]:
    """The table's tremble under the turning hand, px."""
    return 1.6 * np.sin(0.71 * time + 0.4) + 0.8 * np.sin(1.9 * time), 0.7 * np.sin(0.9 * time)


def render(frame: int, seed: int = 1) -> tuple[F32, F32]:
    """The frame with the sticker and without it: linear BT.709 light (h, w, 3), averaged over the open shutter."""
    glaze, place = make_glaze(), make_place()
    marked, clean = np.zeros((HEIGHT, WIDTH, 3), np.float32), np.zeros((HEIGHT, WIDTH, 3), np.float32)
    part = (
        slice(int(TOP) - 12, int(BOTTOM) + 12),
        slice(int(CENTRE) - 262, int(CENTRE) + 262),
    )  # all that the jug covers
    yy, xx = (axis[part].astype(float) for axis in np.mgrid[0:HEIGHT, 0:WIDTH])
    marked += place * SUBFRAMES
    clean += place * SUBFRAMES
    marked[part], clean[part] = 0, 0
    for k in range(SUBFRAMES):
        time = frame + SHUTTER * ((k + 0.5) / SUBFRAMES - 0.5)
        with_it, without = _instant(time, xx, yy, glaze, place[part])
        marked[part] += with_it
        clean[part] += without
    share = np.float32(1 / SUBFRAMES)
    return marked * share, clean * share


def _instant(time: float, xx: F64, yy: F64, glaze: F32, place: F32) -> tuple[F32, F32]:
    dx, dy = _pose(time)
    x, y = xx - CENTRE - dx, yy - dy
    r = radius(y)
    across = np.clip(x / r, -1, 1)
    angle = np.arcsin(across)
    inside = smoothstep(-0.8, 0.8, (r - np.abs(x)).astype(np.float32)) * smoothstep(
        -0.8, 0.8, (y - TOP).astype(np.float32)
    )
    inside = inside * smoothstep(-0.8, 0.8, (BOTTOM - y).astype(np.float32))
    slope = (radius(y + 1) - radius(y - 1)) / 2
    normal = np.stack([across, -slope * np.cos(angle) * 0.9, np.cos(angle)], -1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    turn = turned(time)
    col = ((angle - turn) % (2 * np.pi)) * 256
    c = col.astype(int) % glaze.shape[1]
    f = (col - col.astype(int))[..., None].astype(np.float32)
    row = np.clip(y, 0, HEIGHT - 1.001)
    r0 = row.astype(int)
    g = (row - r0)[..., None].astype(np.float32)
    c1, r1 = (c + 1) % glaze.shape[1], np.minimum(r0 + 1, HEIGHT - 1)
    looked = (glaze[r0, c] * (1 - f) + glaze[r0, c1] * f) * (1 - g) + (glaze[r1, c] * (1 - f) + glaze[r1, c1] * f) * g
    lamp = LAMP / np.linalg.norm(LAMP)
    key = np.clip(normal @ lamp, 0, None) * 2 ** (0.35 * np.sin(time / 14.0))
    diffuse = (0.16 + 1.05 * key)[..., None].astype(np.float32)
    shine = _shine(normal, time)[..., None].astype(np.float32)
    matt = looked[..., 3:]
    cover, ink = sticker((angle - turn - STICKER[0] + np.pi) % (2 * np.pi) - np.pi, y)
    paper = (0.78 - 0.66 * ink)[..., None] * np.array([1.0, 0.93, 0.72], np.float32)
    cover = (cover[..., None] * inside[..., None]).astype(np.float32)
    bare = looked[..., :3] * diffuse + shine * (1 - 0.9 * matt)
    stuck = paper.astype(np.float32) * diffuse + 0.10 * shine
    body = inside[..., None].astype(np.float32)
    clean = place * (1 - body) + bare * body
    return np.asarray(clean * (1 - cover) + stuck * cover, np.float32), np.asarray(clean, np.float32)


def _shine(normal: F64, time: float) -> F64:
    """The lamp and a window mirrored in the glaze; the lamp is nudged, so that its highlight slides."""
    swing = 0.10 * np.sin(time / 19.0)
    lamp = np.array([LAMP[0] + swing, LAMP[1], LAMP[2] + 0.55])
    lamp /= np.linalg.norm(lamp)
    spot = np.exp(-(1 - np.clip(normal @ lamp, -1, 1)) / 0.0045)
    window = np.exp(-(((normal[..., 0] - 0.62) / 0.05) ** 2)) * smoothstep(
        -0.1, 0.1, (0.35 - np.abs(normal[..., 1] + 0.05)).astype(np.float32)
    )
    rim = 0.10 * (1 - np.clip(normal[..., 2], 0, 1)) ** 3
    return np.asarray(1.5 * spot + 0.30 * window + rim)


def truth(frames: list[int], step: int = 8, seed: int = 1) -> dict[str, NDArray[np.generic]]:
    """Positions and visibility of the anchor pose's grid on every frame, at mid-shutter."""
    ys, xs = np.mgrid[0:HEIGHT:step, 0:WIDTH:step].astype(float)
    dx, dy = _pose(float(ANCHOR))
    x, y = xs - CENTRE - dx, ys - dy
    on = (np.abs(x) < 0.985 * radius(y)) & (y > TOP + 2) & (y < BOTTOM - 2)
    place = np.arcsin(np.clip(x / radius(y), -1, 1)) - turned(float(ANCHOR))
    positions = np.zeros((len(frames), *xs.shape, 2), np.float32)
    visible = np.zeros((len(frames), *xs.shape), bool)
    for k, frame in enumerate(frames):
        px, py = _pose(float(frame))
        angle = place + turned(float(frame))
        positions[k] = np.stack([CENTRE + px + radius(y) * np.sin(angle), y + py], -1)
        visible[k] = on & (np.cos(angle) > 0.12)
    return {
        "frames": np.array(frames), "anchor": np.array(ANCHOR), "step": np.array(step),
        "positions": positions, "visible": visible,
    }  # fmt: skip
