"""The apron's linen: weave, seams, pocket and the invented crest, as maps over the flat cloth.

Maps are sampled at ``DENSITY`` texels a centimetre; u runs across from -24, v down from -24 cm.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from demo.noise import fractal, smoothstep, value_noise

F32 = NDArray[np.float32]

DENSITY = 40
U_MIN, V_MIN = -24.0, -24.0
U_SIZE, V_SIZE = 48.0, 50.0
LENS = (0.10, 0.24, 0.32, 0.24, 0.10)  # over texels: sigma about 1.2, .6 px in the frame
THREAD = 0.19  # cm between threads: a coarse apron linen
CREST_CENTRE = (0.6, -3.2)
CREST_RADIUS = 4.6
BIB_TOP = -14.6
POCKET = (-8.5, 9.2, 9.5, 30.0)  # left, top, right, bottom, cm


@dataclass(frozen=True)
class Linen:
    """albedo (h, w, 3) without ink, height (h, w) cm, inside (h, w) cm to the outline, ink (h, w) 0..1."""

    albedo: F32
    height: F32
    inside: F32
    ink: F32


INK_ALBEDO = np.array([0.20, 0.052, 0.040], np.float32)


def make_linen(seed: int = 7) -> Linen:
    """Build the cloth's maps; about a second."""
    shape = (int(V_SIZE * DENSITY), int(U_SIZE * DENSITY))
    v, u = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    u = u / DENSITY + U_MIN
    v = v / DENSITY + V_MIN
    weave, tint = plain_weave(u, v, shape, seed)
    inside = _outline(u, v)
    seams, stitch = _seams(u, v, inside)
    pocket = _pocket_inside(u, v)
    height = 0.014 * weave + 0.05 * seams + 0.09 * smoothstep(-0.05, 0.12, pocket)
    base = np.array([0.50, 0.435, 0.335], np.float32)
    stains = 0.028 * fractal(shape, 9 * DENSITY, seed + 50, 5)
    level = 0.80 + 0.20 * weave + tint + stains
    level = level * (1 - 0.38 * np.exp(-((pocket / 0.09) ** 2)) * (pocket > -0.4))
    warmth = 0.016 * value_noise(shape, 260, seed + 70)
    albedo = base * level[..., None] * np.stack([1 + warmth, 1 + 0 * warmth, 1 - warmth], -1)
    thread_colour = np.array([0.72, 0.66, 0.52], np.float32)
    albedo = albedo + (thread_colour - albedo) * (0.75 * stitch)[..., None]
    ink = _crest(u, v) * _ink_coverage(weave, shape, seed)
    return Linen(
        _lens(np.clip(albedo, 0.02, 0.9).astype(np.float32)),
        _lens(height.astype(np.float32)),
        inside.astype(np.float32),
        _lens(ink.astype(np.float32)),
    )


def _lens(field: F32) -> F32:
    """Softened as the lens does at this distance (about .6 px), so that threads do not alias."""
    for axis in (0, 1):
        field = sum(w * np.roll(field, k, axis) for k, w in zip((-2, -1, 0, 1, 2), LENS, strict=True))
    return np.asarray(field, np.float32)


def plain_weave(u: F32, v: F32, shape: tuple[int, int], seed: int) -> tuple[F32, F32]:
    """Plain weave with slubs, wandering threads and knots: relief 0..1 and thread tint."""
    wander_u = 0.035 * value_noise(shape, 55, seed) + 0.012 * value_noise(shape, 14, seed + 1)
    wander_v = 0.035 * value_noise(shape, 55, seed + 2) + 0.012 * value_noise(shape, 14, seed + 3)
    warp, weft = (u + wander_u) / THREAD, (v + wander_v) / THREAD
    warp_id, weft_id = np.floor(warp).astype(int), np.floor(weft).astype(int)
    tint = _thread_tint(warp_id, v, seed + 10) + _thread_tint(weft_id, u, seed + 20)
    thick = 1 + 0.9 * tint
    round_warp = np.sqrt(np.clip(1 - (2 * (warp - warp_id) - 1) ** 2 / thick, 0, 1))
    round_weft = np.sqrt(np.clip(1 - (2 * (weft - weft_id) - 1) ** 2 / thick, 0, 1))
    over = np.sin(np.pi * warp) * np.sin(np.pi * weft)
    relief = np.maximum(round_warp * (0.55 + 0.45 * over), round_weft * (0.55 - 0.45 * over))
    knots = smoothstep(2.5, 3.4, value_noise(shape, 7, seed + 30))
    return (relief + 0.5 * knots).astype(np.float32), (0.9 * tint - 0.05 * knots).astype(np.float32)


def _thread_tint(thread: NDArray[np.int64], along: F32, seed: int) -> F32:
    """Lightness of each thread, changing slowly along it (slub)."""
    rng = np.random.default_rng(seed)
    count = int(thread.max() - thread.min()) + 1
    table = 0.060 * rng.normal(size=(count, 1)) + 0.038 * value_noise((count, 128), 5.0, seed)
    thick = rng.random((count, 1)) < 0.05
    table = table + 0.16 * thick * np.abs(value_noise((count, 128), 6, seed + 5))
    at = (along - along.min()) / (along.max() - along.min()) * 126
    low = at.astype(int)
    row = thread - thread.min()
    mix = at - low
    return np.asarray(table[row, low] * (1 - mix) + table[row, low + 1] * mix, np.float32)


def _outline(u: F32, v: F32) -> F32:
    """Distance inside the apron's outline in cm: a bib that widens to the hips, and two straps."""
    half = 11.8 + 11.0 * smoothstep(-10.5, 12.0, v)
    bib = np.minimum(half - np.abs(u), v - BIB_TOP)
    strap_centre = 9.6 + (v - BIB_TOP) * 0.16
    strap = np.minimum(1.5 - np.abs(np.abs(u) - strap_centre), 1.2 + BIB_TOP - v + 1.0)
    return np.maximum(bib, strap)


def _pocket_inside(u: F32, v: F32) -> F32:
    left, top, right, bottom = POCKET
    sag = 0.25 * np.cos((u - (left + right) / 2) / (right - left) * np.pi)
    return np.minimum(np.minimum(u - left, right - u), np.minimum(v - top - sag, bottom - v))


def _seams(u: F32, v: F32, inside: F32) -> tuple[F32, F32]:
    """Raised double seams along the outline and the pocket, and their stitches (0..1)."""
    pocket = _pocket_inside(u, v)
    relief = np.zeros_like(u)
    stitch = np.zeros_like(u)
    along = np.where(np.abs(np.gradient(inside, axis=1)) > np.abs(np.gradient(inside, axis=0)), v, u)
    for field, offsets in ((inside, (0.28, 0.95)), (pocket, (0.22, 0.62))):
        relief += 0.6 * smoothstep(0, 0.08, field) * (1 - smoothstep(1.0, 1.15, field))
        for offset in offsets:
            line = np.exp(-(((field - offset) / 0.045) ** 2))
            dash = smoothstep(-0.15, 0.25, np.sin(2 * np.pi * along / 0.42))
            stitch = np.maximum(stitch, line * dash)
            relief -= 0.5 * line
    return relief.astype(np.float32), stitch.astype(np.float32)


def _ink_coverage(weave: F32, shape: tuple[int, int], seed: int) -> F32:
    """Printed ink sits on the high threads and misses some of the valleys."""
    worn = 0.06 * fractal(shape, 50, seed + 80, 4)
    return np.clip(0.50 + 0.62 * smoothstep(0.25, 0.75, weave) + worn - 0.1, 0, 0.97)


def _crest(u: F32, v: F32) -> F32:
    """The invented crest of Ollowby Clay: a ring, a footed jar, three leaves and a wave of slip."""
    x, y = u - CREST_CENTRE[0], v - CREST_CENTRE[1]
    radius = np.hypot(x, y)
    shapes = [0.30 - np.abs(radius - CREST_RADIUS + 0.3), 0.09 - np.abs(radius - CREST_RADIUS + 0.95)]
    belly = 1.75 - np.hypot(x, (y - 0.65) * 1.12)
    foot = np.minimum(0.28 - np.abs(y - 2.15), 1.05 - np.abs(x) + 0.3 * (y - 2.15))
    neck = np.minimum(0.55 - np.abs(y + 0.95), 0.72 + 0.35 * (y + 0.95) ** 2 - np.abs(x))
    rim = np.minimum(0.16 - np.abs(y + 1.55), 1.15 - np.abs(x))
    wave = np.abs(y - 0.55 - 0.28 * np.sin(2.6 * x)) - 0.17
    jar = np.minimum(np.maximum.reduce([belly, foot, neck]), wave)
    shapes += [jar, rim]
    for angle in (-0.62, 0.0, 0.62):
        c, s = np.cos(angle), np.sin(angle)
        along, across = -(y + 1.6) * c + x * s, x * c + (y + 1.6) * s
        leaf = 0.36 * np.sin(np.clip((along - 0.35) / 1.35, 0, 1) * np.pi) - np.abs(across)
        shapes.append(np.where((along > 0.35) & (along < 1.7), leaf, -1))
    dots = np.arctan2(y, x) * 9 / np.pi
    bead = 0.13 - np.hypot((dots - np.round(dots)) * np.pi / 9 * radius, radius - CREST_RADIUS + 0.62)
    side = np.where(np.abs(x) > 2.4, bead, -1)
    shapes.append(side)
    return smoothstep(-0.015, 0.02, np.maximum.reduce(shapes).astype(np.float32))
