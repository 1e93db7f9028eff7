"""The scene ``apron``: a potter walks past the window wall of the workshop in a printed linen apron.

Everything is a plain function of time in frames since the first, so that any instant (and its exact truth) can be
asked for. Lengths in cm, camera coordinates of ``demo.raster``.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from demo import linen as cloth
from demo.noise import fractal, smoothstep, value_noise
from demo.raster import FOCAL, HEIGHT, WIDTH

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

FIRST, COUNT, RATE = 1001, 96, 24
ANCHOR = 1049  # between two steps: the sharpest frame
DISTANCE = 78.0
BODY_RADIUS = 19.0


@dataclass(frozen=True)
class Fold:
    """One travelling fold: a wave packet on the cloth (angles in radians, lengths in cm)."""

    angle: float
    length: float
    depth: float
    u: float
    v: float
    spread_along: float
    spread_across: float
    speed: float
    phase: float
    beat: float


def make_folds(seed: int) -> list[Fold]:
    """Drapes from the straps, pulls from the hips and buckles above the waist."""
    rng = np.random.default_rng(seed)
    folds = []
    for side in (-1, 1):
        folds.append(_fold(rng, 0.25 * side, 7.0, 0.42, 9.0 * side, -8, 17, 6))
        folds.append(_fold(rng, 0.85 * side, 5.2, 0.26, 8.0 * side, 2, 12, 6))
        folds.append(_fold(rng, -0.45 * side, 9.0, 0.55, 12.0 * side, 10, 16, 8))
    folds.append(_fold(rng, 0.08, 11.0, 0.50, 0, -2, 22, 12))
    folds.append(_fold(rng, 1.35, 6.5, 0.30, 2, 5, 12, 8))
    folds.append(_fold(rng, 1.75, 6.2, 0.20, -3, -2, 9, 7))
    folds.append(_fold(rng, 0.6, 5.4, 0.14, 3, -4, 9, 7))
    return folds


def _fold(
    rng: np.random.Generator, angle: float, length: float, depth: float, u: float, v: float,
    along: float, across: float,
) -> Fold:  # fmt: skip
    wobble = rng.uniform(-1, 1, 5)
    return Fold(
        angle + 0.15 * wobble[0], length * (1 + 0.12 * wobble[1]), 0.78 * depth * (1 + 0.2 * wobble[2]),
        u + 1.5 * wobble[3], v + 1.5 * wobble[4], along, across,
        rng.uniform(0.10, 0.34) * rng.choice([-1, 1]), rng.uniform(0, 2 * np.pi),
        rng.uniform(0.4, 1.0),
    )  # fmt: skip


def fold_depth(folds: list[Fold], u: F64, v: F64, time: float) -> F64:
    """Displacement of the cloth towards the camera in cm at ``time`` (frames)."""
    seconds = time / RATE
    total = np.zeros_like(u)
    for fold in folds:
        c, s = np.cos(fold.angle), np.sin(fold.angle)
        across, along = (u - fold.u) * c + (v - fold.v) * s, -(u - fold.u) * s + (v - fold.v) * c
        bend = 0.9 * np.sin(along / 7.3 + fold.phase) + 0.35 * np.sin(along / 2.9 + 2 * fold.phase)
        phase = 2 * np.pi * ((across + bend) / fold.length + fold.speed * seconds) + fold.phase
        window = np.exp(-((along / fold.spread_along) ** 2) - (across / fold.spread_across) ** 2)
        swell = 1 + 0.35 * np.sin(2 * np.pi * fold.beat * seconds + 2.1 * fold.phase)
        wave = np.sin(phase) + 0.20 * np.sin(2 * phase + 0.9) + 0.03 * np.sin(3 * phase + 0.4)
        total += fold.depth * swell * window * wave
    return np.asarray(total)


def body_pose(time: float, seed: int) -> tuple[F64, F64]:
    """Turn (3, 3) and place (3,) of the walking body at ``time`` (frames)."""
    s = time / RATE
    shift = 0.13 * np.sin(seed)
    sway = 2.9 * np.sin(2 * np.pi * 0.55 * s + 0.5 + shift) + 0.5 * np.sin(2 * np.pi * 1.31 * s)
    bob = 0.85 * np.sin(2 * np.pi * 1.12 * s + 0.2) + 0.25 * np.sin(2 * np.pi * 0.43 * s + 1)
    place = np.array([
        -7.2 + 1.15 * (s - 2) + sway,
        0.2 + bob + 0.25 * (s - 2),
        DISTANCE - 1.1 * s + 0.8 * np.sin(2 * np.pi * 0.5 * s),
    ])  # fmt: skip
    yaw = np.radians(-7 + 9 * np.sin(2 * np.pi * 0.27 * s + 0.6) + 1.5 * np.sin(2 * np.pi * 1.1 * s))
    roll = np.radians(1.6 * np.sin(2 * np.pi * 0.56 * s + 1.1))
    pitch = np.radians(2.0 * np.sin(2 * np.pi * 0.38 * s))
    return _turn(yaw, pitch, roll), place


def _turn(yaw: float, pitch: float, roll: float) -> F64:
    cy, sy, cp, sp, cr, sr = (
        np.cos(yaw), np.sin(yaw), np.cos(pitch), np.sin(pitch), np.cos(roll), np.sin(roll),
    )  # fmt: skip
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_x = np.array([[1, 0, 0], [0, cp, -sp], [0, sp, cp]])
    about_z = np.array([[cr, -sr, 0], [sr, cr, 0], [0, 0, 1]])
    return np.asarray(about_y @ about_x @ about_z)


def apron_points(u: F64, v: F64, time: float, folds: list[Fold], seed: int, raised: F64 | None = None) -> F64:
    """Camera points (..., 3) of the cloth points (u, v) at ``time``.

    ``raised``: the fold depth there, when it is known already.
    """
    s = time / RATE
    slide_u = 0.22 * np.sin(u / 9 + v / 13 + 2 * np.pi * 0.5 * s) * np.cos(v / 11)
    slide_v = 0.18 * np.sin(v / 8 - u / 15 + 2 * np.pi * 0.41 * s)
    breath = 1 + 0.006 * np.sin(2 * np.pi * 0.3 * s)
    radius = BODY_RADIUS * breath
    around = (u + slide_u) / radius
    depth = (fold_depth(folds, u, v, time) if raised is None else raised) + 0.35
    x = (radius + depth) * np.sin(around)
    z = radius - (radius + depth) * np.cos(around)
    y = v + slide_v + 0.0 * u
    turn, place = body_pose(time, seed)
    return np.stack([x, y, z], -1) @ turn.T + place


def shirt_points(time: float, seed: int) -> tuple[F64, F64]:
    """Camera points of the shirt's trunk (rows, cols, 3) and its flat coordinates (rows, cols, 2)."""
    around, down = np.meshgrid(np.linspace(-1.75, 1.75, 150), np.linspace(-27, 27, 120))
    folds = 0.35 * np.sin(around * 9 + down / 4 + time / 15) + 0.25 * np.sin(down / 2.3 - around * 5)
    x = (20.3 + 0.4 * folds) * np.sin(around)
    z = 20.6 - (20.0 + 0.5 * folds) * np.cos(around) + 0.25 * np.maximum(0, -down - 16) ** 1.3
    turn, place = body_pose(time, seed)
    flat = np.stack([around * 20, down], -1)
    return np.stack([x, down, z], -1) @ turn.T + place, flat


def sleeve_points(side: int, time: float, seed: int) -> tuple[F64, F64]:
    """Camera points and flat coordinates of one sleeve, swinging with the step."""
    around, down = np.meshgrid(np.linspace(-2.2, 2.2, 80), np.linspace(-27, 30, 120))
    swing = 0.11 * side * np.sin(2 * np.pi * 0.55 * time / RATE + 0.9)
    folds = 0.30 * np.sin(down / 1.7 + around * 2 + side) + 0.2 * np.sin(down / 3.1 - 2 * around)
    radius = 5.4 + 0.35 * folds + 0.02 * down
    x = side * 22.9 + radius * np.sin(around) + 0.05 * side * (down + 20)
    z = 11 - radius * np.cos(around) + swing * (down + 22)
    turn, place = body_pose(time, seed)
    flat = np.stack([around * 5.4 + 60 * side, down], -1)
    return np.stack([x, down, z], -1) @ turn.T + place, flat


def key_light(time: float, seed: int) -> tuple[F64, float, float]:
    """Direction to the key light, its strength (about a stop up and down) and its slope across."""
    s = time / RATE
    stops = 0.42 * np.sin(2 * np.pi * 0.31 * s + 2.4 + 0.2 * seed) + 0.12 * np.sin(2 * np.pi * 0.9 * s)
    direction = np.array([
        -0.78 + 0.16 * np.sin(2 * np.pi * 0.22 * s), -0.55, -0.62 + 0.08 * np.sin(2 * np.pi * 0.4 * s),
    ])  # fmt: skip
    slope = 0.22 * np.sin(2 * np.pi * 0.27 * s + 0.7)
    return direction / np.linalg.norm(direction), float(1.32 * 2**stops), float(slope)


def camera_drift(time: float) -> tuple[float, float]:
    """How far the operator's hands move the backdrop, in px."""
    s = time / RATE
    x = -34 * (s - 2) + 5 * np.sin(2 * np.pi * 0.7 * s) + 2.0 * np.sin(2 * np.pi * 1.7 * s + 1)
    y = 4 * np.sin(2 * np.pi * 0.8 * s + 2) + 1.6 * np.sin(2 * np.pi * 2.1 * s)
    return float(x), float(y)


def make_backdrop(seed: int = 3) -> F32:
    """The workshop behind, out of focus: shelves of pots, a window, plaster (linear, 900 x 1700)."""
    rows, cols = 900, 1700
    y, x = np.mgrid[0:rows, 0:cols].astype(np.float32)
    wall = 0.115 + 0.018 * fractal((rows, cols), 240, seed, 4)
    picture = wall[..., None] * np.array([1.18, 1.0, 0.80], np.float32)
    window = smoothstep(0, 10, np.minimum(np.minimum(x - 150, 560 - x), np.minimum(y - 40, 520 - y)))
    bars = smoothstep(6, 12, np.abs((x - 150) % 137 - 56)) * smoothstep(6, 12, np.abs((y - 40) % 160 - 80))
    sky = np.array([1.25, 1.45, 1.70], np.float32) * (0.62 + 0.05 * value_noise((rows, cols), 90, seed))[..., None]
    picture = picture + (sky - picture) * (window * (0.15 + 0.85 * bars))[..., None]
    picture = _shelves(picture, x, y, seed)
    return _defocus(picture, 15)


def _shelves(picture: F32, x: F32, y: F32, seed: int) -> F32:
    rng = np.random.default_rng(seed)
    wood = np.array([0.21, 0.125, 0.065], np.float32)
    for top in (215, 455, 700):
        board = smoothstep(0, 3, np.minimum(y - top, top + 22 - y)) * (x > 780)
        picture = picture + (wood - picture) * board[..., None]
        at = 800.0
        while at < 1640:
            wide, tall = rng.uniform(46, 105), rng.uniform(60, 150)
            glaze = np.array([0.30, 0.24, 0.18]) * rng.uniform(0.5, 1.5) * (1 + 0.35 * rng.normal(size=3))
            centre = at + wide / 2
            profile = wide / 2 * (0.62 + 0.38 * np.sin(np.clip((top - y) / tall, 0, 1) * np.pi * rng.uniform(0.7, 1.1)))
            pot = smoothstep(0, 3, np.minimum(profile - np.abs(x - centre), np.minimum(top - y, y - top + tall)))
            round_light = 0.45 + 0.75 * np.clip(0.6 + (x - centre) / wide, 0, 1.2)
            spark = 1.6 * np.exp(-(((x - centre - wide * 0.2) / 6) ** 2) - ((y - top + tall * 0.72) / 9) ** 2)
            colour = np.clip(glaze, 0.03, 0.7).astype(np.float32) * round_light[..., None] + spark[..., None]
            picture = picture + (colour - picture) * pot[..., None]
            at += wide + rng.uniform(8, 70)
    return picture.astype(np.float32)


def _defocus(picture: F32, radius: int) -> F32:
    """Average over a disc (a wide-open lens), by shifting and adding rows of the disc."""
    padded = np.pad(picture, ((radius, radius), (radius, radius), (0, 0)), mode="edge")
    sums = np.cumsum(np.pad(padded, ((0, 0), (1, 0), (0, 0))), axis=1, dtype=np.float64)
    rows, cols = picture.shape[:2]
    total = np.zeros(picture.shape, np.float64)
    count = 0
    for dy in range(-radius, radius + 1):
        half = int(np.sqrt(radius * radius - dy * dy))
        row = sums[radius + dy : radius + dy + rows]
        total += row[:, radius + half + 1 : radius + half + 1 + cols] - row[:, radius - half : radius - half + cols]
        count += 2 * half + 1
    return (total / count).astype(np.float32)


def sample_backdrop(backdrop: F32, time: float, jitter: tuple[float, float]) -> F32:
    """The part of the backdrop behind the frame (bilinear)."""
    dx, dy = camera_drift(time)
    left, top = 200 - dx - jitter[0], 85 - dy - jitter[1]
    x0, y0 = int(np.floor(left)), int(np.floor(top))
    fx, fy = np.float32(left - x0), np.float32(top - y0)
    part = backdrop[y0 : y0 + HEIGHT + 1, x0 : x0 + WIDTH + 1]
    upper = part[:-1, :-1] * (1 - fx) + part[:-1, 1:] * fx
    lower = part[1:, :-1] * (1 - fx) + part[1:, 1:] * fx
    return upper * (1 - fy) + lower * fy


def cloth_grid(step: float = 0.25) -> tuple[F64, F64]:
    """Flat coordinates of the apron's mesh."""
    u, v = np.meshgrid(
        np.arange(cloth.U_MIN + 0.1, cloth.U_MIN + cloth.U_SIZE - 0.1, step),
        np.arange(cloth.V_MIN + 0.1, cloth.V_MIN + cloth.V_SIZE - 0.1, step),
    )
    return u, v


__all__ = ["ANCHOR", "COUNT", "FIRST", "FOCAL", "RATE"]
