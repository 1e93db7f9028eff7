"""Strokes as data, and what they do to a plate's picture.

A stroke is a path of points with a pressure each, on the still surface. Each brush makes a *candidate* picture for the
places that it covers; the candidate's tone, texture or both are then mixed in by the coverage.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Mask, Rect, padded_cut
from hushcore.bands.split import TONE_SIGMA, low_pass
from hushcore.colour.encoding import SRGB, Encoding
from hushcore.errors import HushError
from hushcore.geometry.membrane import membrane
from hushcore.geometry.paths import signed_distance
from hushcore.geometry.placed import taken, takes_from
from hushcore.retouch.cover import covered

KINDS = ("clone", "heal", "paint", "lighten", "darken", "smooth", "sharpen", "restore")
FROM_DONOR = ("clone", "heal")
BANDS = ("all", "tone", "texture")
PRESSURES = ("size", "opacity", "both", "none")
LARGEST_RADIUS = 400.0
FLAT_SHARPEN = 1.0  # times the texture that is added at full opacity
HEAL_RIM = 2  # px beyond the coverage where tones are compared
RIM_SMOOTH = 1.5  # px along it, so that grain of the rim does not streak inwards
TONE_PASSES = 3.0  # sigmas of the split that must be at hand round a stroke

Donors = Callable[[int], F32]


@dataclass(frozen=True)
class Donor:
    """Where a clone or heal takes from: ``offset`` px from the place it covers, turned by ``turn`` degrees, ``zoom``
    times as large, mirrored if ``flip``, about the stroke's first point. ``source``: ``painted`` (as painted so far),
    ``plate`` (as shot) or a frame's number."""

    offset: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    zoom: float = 1.0
    flip: bool = False
    source: str | int = "painted"

    @property
    def plain(self) -> bool:
        """Whether whole pixels are moved and nothing else."""
        return self.turn == 0 and self.zoom == 1 and not self.flip and all(float(o).is_integer() for o in self.offset)

    @property
    def elsewhere(self) -> bool:
        """Whether it takes from another place or another picture."""
        return self.offset != (0, 0) or self.turn != 0 or self.zoom != 1 or self.flip or self.source != "painted"


@dataclass(frozen=True)
class Stroke:
    """One stroke. ``points`` (n, 3): x, y, pressure 0..1; sizes in px. ``band``: what it works on, split at ``scale``
    px (sigma); ``colour``: linear light of a paint stroke; ``amount``: stops of lighten and darken; ``within`` (m, 2):
    the outline that it must not leave; ``span``: first and last frame on which it is redone, None for all."""

    kind: str
    points: F64
    radius: float
    hardness: float = 0.5
    opacity: float = 1.0
    flow: float = 1.0
    spacing: float = 0.25
    pressure: str = "size"
    band: str = "all"
    scale: float = TONE_SIGMA
    donor: Donor = Donor()
    colour: tuple[float, float, float] = (0.0, 0.0, 0.0)
    amount: float = 0.5
    within: F64 | None = None
    span: tuple[int, int] | None = None

    def on(self, frame: int) -> bool:
        """Whether it is laid on a frame, where strokes are redone."""
        return self.span is None or self.span[0] <= frame <= self.span[1]

    def check(self) -> None:
        """Raises HushError for a stroke that cannot be painted."""
        if self.kind not in KINDS:
            raise HushError(f"There is no brush called {self.kind!r}; choose {', '.join(KINDS)}.", "bad-stroke")
        if self.band not in BANDS or self.pressure not in PRESSURES:
            raise HushError(
                f"A brush works on {', '.join(BANDS)}; pressure drives {', '.join(PRESSURES)}.", "bad-stroke"
            )
        if self.points.ndim != 2 or len(self.points) == 0 or self.points.shape[1] != 3:
            raise HushError("The stroke has no points.", "bad-stroke")
        if not np.isfinite(self.points).all() or np.abs(self.points[:, :2]).max() > 1e5:
            raise HushError("The stroke leaves the picture.", "bad-stroke")
        if not 0 < self.radius <= LARGEST_RADIUS:
            raise HushError(f"A brush is up to {LARGEST_RADIUS:.0f} px in radius.", "bad-stroke")
        if self.kind in FROM_DONOR and not self.donor.elsewhere:
            raise HushError("Set where the brush takes from first: Alt-click a clean place.", "no-donor")

    def rect(self) -> Rect:
        """Whole pixels that it can touch."""
        return Rect.around(self.points[:, :2]).grown(int(np.ceil(self.radius)) + 1)


@dataclass(frozen=True)
class Canvas:
    """What strokes are laid on: ``picture`` (h, w, 3), linear, changed in place; ``original``: the plate as shot;
    ``origin``: where both lie on the still surface; ``donors``: other frames' pictures there, by number."""

    picture: F32
    original: F32
    origin: Rect
    encoding: Encoding = SRGB
    donors: Donors | None = None


def coverage(stroke: Stroke, rect: Rect) -> F32:
    """How much the stroke covers (0..1, opacity included) over ``rect``."""
    cover = covered(
        stroke.points, stroke.radius, stroke.hardness, stroke.flow, stroke.spacing, stroke.pressure,
        (rect.left, rect.top), (rect.height, rect.width),
    )  # fmt: skip
    if stroke.within is not None:
        cover *= np.clip(signed_distance(stroke.within, rect) + 0.5, 0, 1)
    return cover * np.float32(stroke.opacity)


def paint(canvas: Canvas, strokes: Sequence[Stroke]) -> None:
    """Lay ``strokes`` in order, each on what those before it left.

    Raises HushError for one that cannot be painted; ``canvas.picture`` holds those before it then.
    """
    for stroke in strokes:
        stroke.check()
        area = stroke.rect().within(canvas.origin)
        if not area.empty:
            _lay(canvas, stroke, area)


def _lay(canvas: Canvas, stroke: Stroke, area: Rect) -> None:
    cover = coverage(stroke, area)
    if not cover.any():
        return
    pad = (
        0 if stroke.band == "all" and stroke.kind not in ("smooth", "sharpen") else int(TONE_PASSES * stroke.scale) + 1
    )
    around = area.grown(pad)
    local = around.moved(-canvas.origin.left, -canvas.origin.top)
    inner = (slice(pad, pad + area.height), slice(pad, pad + area.width))
    now = np.array(padded_cut(canvas.picture, local))
    made = _CANDIDATES[stroke.kind](canvas, stroke, around, now, _framed(cover, pad))
    target = canvas.picture[area.moved(-canvas.origin.left, -canvas.origin.top).slices]
    if stroke.band == "all":
        target += cover[..., None] * (made[inner] - target)
        return
    before, after = (canvas.encoding.tonal_of(np.maximum(side, 0)) for side in (now, made))
    change = low_pass(after - before, stroke.scale)
    if stroke.band == "texture":
        change = (after - before) - change
    laid = before[inner] + cover[..., None] * change[inner]
    touched = cover > 0  # what is not covered keeps its own value, to the last bit
    target[touched] = canvas.encoding.from_tonal(laid[touched])


def _framed(cover: F32, pad: int) -> F32:
    return np.pad(cover, pad) if pad else cover


def _donated(canvas: Canvas, stroke: Stroke, rect: Rect) -> F32:
    """The donor's picture over ``rect``."""
    donor = stroke.donor
    if donor.source == "painted":
        picture = canvas.picture
    elif donor.source == "plate":
        picture = canvas.original
    elif canvas.donors is not None:
        picture = canvas.donors(int(donor.source))
    else:
        raise HushError(f"Frame {donor.source} is not at hand as a donor.", "no-donor")
    dx, dy = donor.offset
    if donor.plain:
        moved = rect.moved(int(dx) - canvas.origin.left, int(dy) - canvas.origin.top)
        return np.array(padded_cut(picture, moved))
    return _turned(picture, canvas.origin, stroke, rect)


def _turned(picture: F32, origin: Rect, stroke: Stroke, rect: Rect) -> F32:
    """The donor turned, scaled or mirrored about the stroke's first point, sampled by cubic B-spline."""
    donor, first = stroke.donor, (float(stroke.points[0, 0]), float(stroke.points[0, 1]))
    return taken(picture, origin, *takes_from(rect, first, donor.offset, donor.turn, donor.zoom, donor.flip))


def _clone(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    return _donated(canvas, stroke, rect)


def _heal(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    """The donor's texture in the light that is here: a membrane carries the difference of tones in from the rim.

    Source: Perez, Gangnet & Blake 2003, on tonal values, so that it is a change of light and not of paint.
    """
    donor = _donated(canvas, stroke, rect)
    wide = np.pad(cover > 0, HEAL_RIM + 1)
    here, there = (
        np.pad(side, ((HEAL_RIM + 1,) * 2, (HEAL_RIM + 1,) * 2, (0, 0)), mode="edge") for side in (now, donor)
    )
    around = cv2.dilate(wide.astype(np.uint8), np.ones((2 * HEAL_RIM + 1,) * 2, np.uint8)) > 0
    rim = around & ~wide
    if not rim.any():
        return donor
    a, b = (canvas.encoding.tonal_of(np.maximum(side, 0)) for side in (here, there))
    shift = membrane(_along(a - b, rim), ~wide)
    inner = slice(HEAL_RIM + 1, -HEAL_RIM - 1)
    return canvas.encoding.from_tonal((b + shift)[inner, inner])


def _along(values: F32, rim: Mask) -> F32:
    """The rim's values, a little smoothed along it, carried outwards so that coarse grids see nothing else."""
    weight = rim.astype(np.float32)
    out = np.zeros_like(values)
    for sigma in (12.0, RIM_SMOOTH):
        total = cv2.GaussianBlur(weight, (0, 0), sigma)
        mean = cv2.GaussianBlur(values * weight[..., None], (0, 0), sigma) / np.maximum(total, 1e-6)[..., None]
        out = np.where((total > 1e-4)[..., None], mean, out)
    return np.asarray(out, np.float32)


def _paint(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    return np.broadcast_to(np.asarray(stroke.colour, np.float32), now.shape)


def _lighten(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    stops = stroke.amount if stroke.kind == "lighten" else -stroke.amount
    return np.asarray(now * np.float32(2.0**stops))


def _smooth(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    return canvas.encoding.from_tonal(low_pass(canvas.encoding.tonal_of(np.maximum(now, 0)), stroke.scale))


def _sharpen(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    tonal = canvas.encoding.tonal_of(np.maximum(now, 0))
    return canvas.encoding.from_tonal(tonal + np.float32(FLAT_SHARPEN) * (tonal - low_pass(tonal, stroke.scale)))


def _restore(canvas: Canvas, stroke: Stroke, rect: Rect, now: F32, cover: F32) -> F32:
    return np.array(padded_cut(canvas.original, rect.moved(-canvas.origin.left, -canvas.origin.top)))


_CANDIDATES = {
    "clone": _clone, "heal": _heal, "paint": _paint, "lighten": _lighten, "darken": _lighten, "smooth": _smooth,
    "sharpen": _sharpen, "restore": _restore,
}  # fmt: skip
