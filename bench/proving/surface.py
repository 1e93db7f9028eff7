"""Flat maps of a drawn surface and of the mark on it: albedo, relief, coverage; ``DENSITY`` texels a px of the frame."""

import numpy as np

from bench.proving.draw import Drawn
from demo import linen
from demo.noise import F32, fractal, smoothstep, value_noise

DENSITY = 1.5
REACH = 0.85  # of the frame's size that the flat surface spans, either side of its middle

BASES = {
    "linen": (0.50, 0.44, 0.34), "knit": (0.20, 0.30, 0.42), "canvas": (0.62, 0.58, 0.50), "skin": (0.46, 0.28, 0.20),
    "glazed": (0.14, 0.30, 0.32), "brushed": (0.42, 0.43, 0.45), "paint": (0.45, 0.10, 0.08), "plaster": (0.55, 0.51, 0.46),
    "paper": (0.74, 0.72, 0.66), "leather": (0.20, 0.11, 0.07),
}  # fmt: skip
GLOSS = {"glazed": (0.9, 60.0), "brushed": (0.35, 18.0), "paint": (0.7, 90.0), "leather": (0.12, 12.0)}
INKS = {
    "dark ink": (0.06, 0.05, 0.07), "light ink": (0.72, 0.72, 0.68), "print": (0.55, 0.07, 0.20),
    "sticker": (0.80, 0.78, 0.30), "scratch": (0.70, 0.62, 0.55), "mole": (0.16, 0.09, 0.07), "wrinkle": (0.30, 0.18, 0.13),
    "embossed": (0.0, 0.0, 0.0),
}  # fmt: skip
HALF, PI2 = 0.5, 2 * np.pi


def flat_grid(drawn: Drawn) -> tuple[F32, F32]:
    """u right and v down, in px of the frame from its middle, of every texel."""
    wide, high = (int(2 * REACH * side * DENSITY) for side in drawn.size)
    v, u = np.mgrid[0:high, 0:wide].astype(np.float32)
    return u / np.float32(DENSITY) - REACH * drawn.size[0], v / np.float32(DENSITY) - REACH * drawn.size[1]


def make_maps(drawn: Drawn, centre: tuple[float, float]) -> F32:
    """(rows, cols, 9): albedo, relief px, mark's coverage, its relief px, the mark's albedo. ``centre``: of the mark."""
    u, v = flat_grid(drawn)
    tone, relief = _texture(drawn, u, v)
    base = np.array(BASES[drawn.surface], np.float32)
    tint = 0.018 * fractal(u.shape, 90 * DENSITY, drawn.seed + 5, 3)
    albedo = base * tone[..., None] * np.stack([1 + tint, 1 + 0 * tint, 1 - tint], -1)
    cover, raised = _mark(drawn, u - centre[0], v - centre[1])
    ink = np.array(INKS.get(drawn.mark, (0, 0, 0)), np.float32) * (0.8 + 0.2 * tone[..., None])
    if drawn.mark == "print":  # two colours
        ink = np.where((np.abs(v - centre[1]) % 18 < 6)[..., None], np.array([0.08, 0.16, 0.5], np.float32), ink)
    parts = [albedo, (relief * drawn.relief)[..., None], cover[..., None], raised[..., None], ink]
    return np.ascontiguousarray(np.clip(np.concatenate(parts, -1), -20, 20), np.float32)


def _texture(drawn: Drawn, u: F32, v: F32) -> tuple[F32, F32]:
    """Tone about 1, and relief in px."""
    shape, seed, kind = u.shape, drawn.seed * 31, drawn.surface
    broad = fractal(shape, 60 * DENSITY, seed, 4)
    fine = fractal(shape, 3.5 * DENSITY, seed + 1, 2)
    if kind in ("linen", "canvas"):
        threads = 3.2 if kind == "linen" else 4.5  # px a thread
        relief, tint = linen.plain_weave(u * (linen.THREAD / threads), v * (linen.THREAD / threads), shape, seed)
        return 0.85 + 0.18 * relief + tint + 0.03 * broad, 0.5 * relief
    if kind == "knit":
        loops = np.sin(PI2 * u / 7.0 + 0.4 * fine) * np.sin(PI2 * (v + 2.5 * np.abs(np.sin(np.pi * u / 7.0))) / 6.0)
        return 1 + 0.16 * loops + 0.06 * fine + 0.05 * broad, 0.8 * loops
    if kind == "skin":
        pores = -smoothstep(0.9, 2.0, value_noise(shape, 2.6 * DENSITY, seed + 3))
        red = fractal(shape, 24 * DENSITY, seed + 4, 2)
        freckles = smoothstep(1.7, 2.3, value_noise(shape, 5 * DENSITY, seed + 6))
        return 1 + 0.03 * fine + 0.035 * red + 0.05 * pores - 0.14 * freckles, 0.25 * fine + 0.5 * pores
    if kind == "glazed":
        speck = smoothstep(1.8, 2.4, value_noise(shape, 3 * DENSITY, seed + 3))
        return 1 + 0.10 * broad - 0.4 * speck + 0.02 * fine, 0.12 * broad
    if kind == "brushed":
        line = np.repeat(value_noise((shape[0], 40), 1.3 * DENSITY, seed + 3)[:, :1], shape[1], 1)
        streak = value_noise((shape[0], max(8, shape[1] // 24)), 1.6, seed + 4)
        streak = np.repeat(streak, 24, 1)[:, : shape[1]]
        streak = np.pad(streak, ((0, 0), (0, shape[1] - streak.shape[1])), mode="edge")
        return 1 + 0.05 * line + 0.05 * streak + 0.04 * broad, 0.1 * line
    if kind == "paint":
        flakes = fractal(shape, 2.5 * DENSITY, seed + 3, 1)
        return 1 + 0.03 * flakes + 0.05 * broad, 0.05 * broad
    if kind == "plaster":
        pits = smoothstep(1.9, 2.5, value_noise(shape, 4 * DENSITY, seed + 3))
        return 1 + 0.06 * broad + 0.05 * fine - 0.2 * pits, 0.5 * broad + 0.3 * fine - pits
    if kind == "paper":
        return 1 + 0.02 * fine + 0.02 * broad, 0.15 * fine
    cells = np.abs(value_noise(shape, 6 * DENSITY, seed + 3))
    return 0.9 + 0.14 * smoothstep(0.0, 0.6, cells) + 0.06 * broad, 0.9 * smoothstep(0.0, 0.5, cells)


def _mark(drawn: Drawn, x: F32, y: F32) -> tuple[F32, F32]:
    """Coverage 0..1 and relief px of the mark, round (0, 0)."""
    r, kind = drawn.radius, drawn.mark
    far = np.hypot(x, y)
    none = np.zeros_like(x)
    soft = lambda inside: smoothstep(-0.6, 0.6, inside)  # noqa: E731
    if kind == "mole":
        inside = r * 0.8 - np.hypot(x, y * 1.15) + 1.5 * np.sin(3 * np.arctan2(y, x))
        return 0.9 * smoothstep(-2.5, 2.0, inside), 1.6 * smoothstep(-4, r * 0.5, inside)
    if kind == "scratch":
        line = 1.3 - np.abs(y - 0.25 * x - 3 * np.sin(x / 15)) + np.minimum(0, r - np.abs(x))
        return 0.8 * soft(line), -0.8 * soft(line)
    if kind == "wrinkle":
        line = np.exp(-(((y - 6 * np.cos(x / r)) / 2.4) ** 2)) * smoothstep(0, 12, r - np.abs(x))
        return 0.35 * line, -1.8 * line
    if kind == "sticker":
        inside = np.minimum(r - np.abs(x), 0.7 * r - np.abs(y))
        bars = soft(np.minimum(inside - 5, 2.2 - np.abs((x % 9) - 4.5) + np.minimum(0, 0.35 * r - np.abs(y))))
        return soft(inside) * (1 - 0.85 * bars), 0.9 * soft(inside)
    ring = 3.5 - np.abs(far - r + 4)
    bar = np.minimum(3.0 - np.abs(y), r * 0.6 - np.abs(x))
    stem = np.minimum(2.6 - np.abs(x + 0.2 * r), r * 0.5 - np.abs(y))
    bowl = 2.6 - np.abs(np.hypot(x - 0.15 * r, y + 0.2 * r) - 0.28 * r)
    shape = soft(np.maximum.reduce([ring, bar, stem, bowl]))
    if kind == "embossed":
        return none, 1.6 * shape
    if kind == "print":
        return np.asarray(0.95 * soft(r - far), np.float32), none
    return np.asarray(0.92 * shape, np.float32), none
