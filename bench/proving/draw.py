"""What a seed draws: surface, motion, light, what is behind and in front, mark, camera."""

from dataclasses import dataclass, replace

import numpy as np

SIZES = ((640, 360), (800, 448), (960, 540))
SURFACES = ("linen", "knit", "canvas", "skin", "glazed", "brushed", "paint", "plaster", "paper", "leather")
MOTIONS = ("sway", "bend", "shear", "turn", "approach", "handheld", "standing")
LIGHTS = ("steady", "stop", "slope", "folds", "shadow", "flicker", "lamp", "reflections")
BEHIND = ("plain", "striped", "bright", "moving")
FRONTS = ("nothing", "walker", "hand", "hair", "post", "alike")
MARKS = ("dark ink", "light ink", "print", "sticker", "embossed", "scratch", "mole", "wrinkle")
CODECS = ("tiff", "log", "half", "prores", "h264", "h264 low")
SHINES = ("glazed", "brushed", "paint", "leather")
OVERLAYS = 10_000  # from here on a seed is an overlay, drawn in all its ways
SHAPES = ("logo", "letters", "plate", "glow")
INKS = ((0.9, 0.9, 0.88), (0.03, 0.03, 0.035), (0.75, 0.1, 0.08), (0.1, 0.3, 0.75), (0.8, 0.65, 0.1), (0.4, 0.4, 0.4))


@dataclass(frozen=True)
class Overlay:
    """What stands over a finished film: its ``shape``, the light of its ``ink``, the ``share`` of the picture that it takes, of a
    ``shadow`` beside it (black, 0: none), and the frames over which it ``fades`` in and out (0: it is there all the time)."""

    shape: str
    ink: tuple[float, float, float]
    share: float
    shadow: float
    fades: int


@dataclass(frozen=True)
class Drawn:
    """A shot's factors. ``speed``: px a frame at the peak; ``shutter``: share of a frame; ``edge``: px from the mark to
    the surface's own edge; ``grain``: share of white; ``soft``: px of the lens; ``twice``: enlarged twice."""

    seed: int
    size: tuple[int, int]
    frames: int
    surface: str
    relief: float
    motion: str
    speed: float
    shutter: float
    edge: float
    light: str
    behind: str
    front: str
    mark: str
    radius: float
    grain: float
    correlated: float
    soft: float
    codec: str
    twice: bool
    overlay: Overlay | None = None

    @property
    def words(self) -> str:
        """The row's first cell."""
        near = "" if self.edge > 60 else f", edge {self.edge:.0f} px off"
        film = f"{self.codec}{' x2' if self.twice else ''}, grain {100 * self.grain:.1f} %, soft {self.soft:.1f}"
        return (
            f"{self.surface}, {self.motion} {self.speed:.0f} px{near}; {self.light}; {self.behind}; front {self.front}; "
            f"{self.mark} {self.radius:.0f} px{'' if self.overlay is None else _said(self.overlay)}; {film}"
        )


def _said(one: Overlay) -> str:
    ink = "/".join(f"{part:.2f}" for part in one.ink)
    more = (f", shadow {one.shadow:.2f}" if one.shadow else "") + (f", fades over {one.fades}" if one.fades else "")
    return f" ({one.shape} of {ink}, {100 * one.share:.0f} %{more})"


def draw(seed: int) -> Drawn:
    """The factors of a seed; the same for ever. From ``OVERLAYS`` on all are overlays."""
    plain = _draw(seed)
    if seed < OVERLAYS:
        return plain
    rng = np.random.default_rng(7000 + seed)
    over = Overlay(
        str(rng.choice(SHAPES)), INKS[rng.choice(len(INKS), p=[0.4, 0.2, 0.1, 0.1, 0.1, 0.1])],
        float(rng.choice([rng.uniform(0.25, 0.6), rng.uniform(0.6, 0.85)])),
        float(rng.choice([0.0, rng.uniform(0.2, 0.5)], p=[0.6, 0.4])), int(rng.choice([0, 6], p=[0.8, 0.2])),
    )  # fmt: skip
    light = plain.light if plain.light not in ("lamp", "reflections") else "steady"
    return replace(plain, motion="standing", mark="overlay", light=light, overlay=over)


def _draw(seed: int) -> Drawn:
    rng = np.random.default_rng(7000 + seed)
    size = SIZES[rng.choice(3, p=[0.5, 0.3, 0.2])]
    frames = int(rng.integers(24, 41))
    surface = str(rng.choice(SURFACES))
    motion = str(rng.choice(MOTIONS, p=[0.16, 0.16, 0.16, 0.15, 0.12, 0.15, 0.10]))
    light = str(rng.choice(LIGHTS))
    shiny = surface in SHINES
    if light in ("lamp", "reflections") and not shiny:
        light = str(rng.choice(LIGHTS[:6]))
    front = str(rng.choice(FRONTS, p=[0.45, 0.13, 0.12, 0.1, 0.1, 0.1]))
    mark = "overlay" if motion == "standing" else str(rng.choice(MARKS))
    codec = str(rng.choice(CODECS, p=[0.22, 0.15, 0.15, 0.18, 0.17, 0.13]))
    return Drawn(
        seed, size, frames, surface, float(rng.choice([0.0, 0.5, 1.0])), motion, float(rng.uniform(1, 14) ** 1.2),
        float(rng.uniform(0.25, 0.75)), float(rng.choice([25.0, 400.0], p=[0.35, 0.65])), light, str(rng.choice(BEHIND)),
        front, mark, float(rng.uniform(14, 30) if mark == "mole" else rng.uniform(28, 62)),
        float(10 ** rng.uniform(-2.5, -1.6)), float(rng.choice([0.0, 0.6, 0.9])), float(rng.choice([0.0, 0.6, 1.2, 2.2])),
        codec, bool(rng.random() < 0.2 and codec not in ("log", "half")),
    )  # fmt: skip
