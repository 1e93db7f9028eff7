"""Highlights that stand in the frame while the surface turns under them: a lamp in a glaze, a window in paint.

J_t(x) = g_t A(W_t^-1 x) + b(x): the surface A rides, the highlight b stands. What a mark hides of it in one frame is seen
in others, where the mark has moved on. Both are medians over time, taken in turn; a shot in which b explains little, or
under which the surface hardly moves, has none.
"""

import base64
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from hushcore.arrays import F32, F64, Codes, Mask, Rect, mean, three
from hushcore.colour.encoding import Encoding
from hushcore.hold.maps import dense_forward, dense_inverse
from hushcore.hold.record import Hold
from hushcore.light.region import wide

STEP = 2  # px of the frame a place of the field
FRAMES = 40  # over the shot that are looked at
ROUNDS = 3
SMALLEST, MOST_PLACES = 32, 16_000_000  # px of the frame, and places of all frames together that are held in memory
START = 40.0  # percentile over time that the surface begins from: highlights are brighter than it
LEAST_MOTION = 24.0  # px that the mark must move in the frame
FEWEST = 3  # frames that must show a place
LEAST = 0.006  # linear: less is noise and shading
BRIGHT, BRIGHTEST = 0.2, 99.5  # linear, and percentile: the brightest places must reach this
EXPLAINS = 0.5  # of what the surface alone leaves unexplained, where the highlight is strong
STRONG = 0.3  # of the brightest
FILL = 6.0  # places over which the unseen is filled
MARGIN = 4  # px round the matte that the mark may still colour
SHOWN = 0.35, 0.65  # shares of a highlight in a plate that count as none and as all
WASHED = 0.1, 0.3  # linear: from where on a highlight leaves little of the surface, and where nothing
TONE, CARRIED = 5.0, 14.0  # px
DARKEST = 0.15  # of a place's light, that taking a highlight off it leaves at least


@dataclass(frozen=True)
class Standing:
    """``added`` (h, w, 3): linear light on the frame, a place every ``STEP`` px from ``left``, ``top`` on."""

    left: int
    top: int
    added: F32

    def at(self, map_x: F32, map_y: F32) -> F32:
        """The light (rows, cols, 3) at frame positions; nothing beyond what was looked at."""
        x = (map_x - np.float32(self.left + (STEP - 1) / 2)) / np.float32(STEP)
        y = (map_y - np.float32(self.top + (STEP - 1) / 2)) / np.float32(STEP)
        return np.asarray(cv2.remap(self.added, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT))

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        packed = zlib.compress(self.added.astype("<f2").tobytes(), 6)
        return {
            "left": self.left, "top": self.top, "shape": list(self.added.shape[:2]),
            "added": base64.b64encode(packed).decode(),
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Standing":
        """From ``plain`` data."""
        flat = np.frombuffer(zlib.decompress(base64.b64decode(data["added"])), "<f2").astype(np.float32)
        return Standing(int(data["left"]), int(data["top"]), flat.reshape(*data["shape"], 3))


def without(picture: F32, gleam: F32) -> F32:
    """A picture with a highlight taken off it."""
    return np.asarray(np.maximum(picture - gleam, np.float32(DARKEST) * np.minimum(picture, 1)), np.float32)


def evened(picture: F32, gleam: F32) -> F32:
    """A picture (h, w, 3) that a highlight was taken off, its tone under the strong part carried in from round about:
    there the footage was near its white, and what is left is not the surface's own."""
    low, high = WASHED
    t = np.clip((gleam.max(-1) - low) / (high - low), 0, 1)
    if not t.any():
        return picture
    washed = cv2.GaussianBlur((t * t * (3 - 2 * t)).astype(np.float32), (0, 0), 1.5)[..., None]
    tone = cv2.GaussianBlur(picture, (0, 0), TONE)
    around = wide(picture * (1 - washed), CARRIED) / np.maximum(wide(1 - washed[..., 0], CARRIED)[..., None], 1e-3)
    return np.asarray(picture + washed * (around - tone), np.float32)


def shown_in(painted: F32, gleam: F32, inside: Mask) -> float:
    """How much of a highlight (0..1) a retouched picture holds where it is painted: an artist paints it or leaves it
    out. Their contrasts within, level and slope taken off, are held against each other."""
    light, level = mean(gleam)[inside], mean(painted)[inside]
    if len(light) < 64 or light.max() < BRIGHT / 4:
        return 1.0
    y, x = np.nonzero(inside)
    plane = np.column_stack([np.ones(len(x)), x - x.mean(), y - y.mean()])
    light, level = (side - plane @ np.linalg.lstsq(plane, side, rcond=None)[0] for side in (light, level))
    share = float((light * level).sum() / max((light * light).sum(), 1e-9))
    return 0.0 if share < SHOWN[0] else 1.0 if share > SHOWN[1] else share


@dataclass(frozen=True)
class _View:
    """A frame at ``STEP``: its picture over the part looked at, where its places lie on the still surface, where still
    places lie in it, and which of its places show the bare surface."""

    picture: F32
    inverse: tuple[F32, F32]
    forward: tuple[F32, F32]
    bare: Mask


def found(
    read: Callable[[int], Codes], hold: Hold, matte: F32, rect: Rect, frames: Sequence[int], encoding: Encoding
) -> Standing | None:
    """The highlight that stands in a held shot, or None. ``matte`` (h, w) of the mark over ``rect`` of the still surface;
    ``frames``: those held, some of which are looked at."""
    chosen = [frames[k] for k in np.unique(np.linspace(0, len(frames) - 1, FRAMES).astype(int))]
    middle = np.array([[(rect.left + rect.right) / 2, (rect.top + rect.bottom) / 2]])
    places = np.concatenate([hold.at(n).forward(middle) for n in chosen])
    if len(chosen) < 2 * FEWEST or np.hypot(*np.ptp(places, axis=0)) < LEAST_MOTION:
        return None
    corners = np.concatenate([hold.at(n).forward(rect.corners) for n in chosen])
    part = Rect.around(corners).clipped(*hold.size)
    part = Rect(part.left, part.top, part.left + part.width // STEP * STEP, part.top + part.height // STEP * STEP)
    places_looked_at = part.width * part.height // STEP**2
    if part.width < SMALLEST or part.height < SMALLEST:
        return None
    chosen = chosen[:: -(-len(chosen) * places_looked_at // MOST_PLACES)]
    grown = cv2.dilate((matte > 0).astype(np.uint8), np.ones((2 * MARGIN + 1,) * 2, np.uint8))
    views = [_view(read(n), hold, n, rect, part, grown, encoding) for n in chosen]
    return _solved(views, part)


def _view(codes: Codes, hold: Hold, frame: int, rect: Rect, part: Rect, grown: Mask, encoding: Encoding) -> _View:
    held = hold.at(frame)
    picture = _smaller(encoding.decode(three(codes[part.slices])))
    inverse = _scaled(dense_inverse(held, part), rect.left, rect.top)
    forward = _scaled(dense_forward(held, rect), part.left, part.top)
    height, width = grown.shape
    inside = (inverse[0] > 1) & (inverse[1] > 1) & (inverse[0] < width / STEP - 2) & (inverse[1] < height / STEP - 2)
    covered = cv2.remap(_smaller(grown.astype(np.float32)), *inverse, cv2.INTER_LINEAR)
    return _View(picture, inverse, forward, np.asarray(inside & (covered <= 0)))


def _smaller(picture: F32) -> F32:
    height, width = picture.shape[:2]
    return np.asarray(cv2.resize(picture, (width // STEP, height // STEP), interpolation=cv2.INTER_AREA))


def _scaled(maps: tuple[F32, F32], left: int, top: int) -> tuple[F32, F32]:
    """Positions of every ``STEP``th place, in places from a corner."""
    x, y = (_smaller(side) for side in maps)
    return (x - left - (STEP - 1) / 2) / STEP, (y - top - (STEP - 1) / 2) / STEP


def _solved(views: Sequence[_View], part: Rect) -> Standing | None:
    surface, _ = _middle([_sampled(view.picture, view.forward) for view in views], START)
    gains: list[F64] = [np.ones(3)] * len(views)
    light = np.zeros_like(views[0].picture)
    for _ in range(ROUNDS):
        rest = [_rest(view, surface, gain) for view, gain in zip(views, gains, strict=True)]
        shown = [np.where(view.bare[..., None], one, np.inf) for view, one in zip(views, rest, strict=True)]
        light, seen = _middle(shown)
        light = _filled(np.maximum(light - LEAST, 0), seen >= FEWEST)
        if np.percentile(mean(light), BRIGHTEST) < BRIGHT:
            return None
        bare = [_sampled(view.picture - light, view.forward) for view in views]
        surface, _ = _middle([one / gain for one, gain in zip(bare, gains, strict=True)])
        gains = [_gain(view, surface, light) for view in views]
    return Standing(part.left, part.top, light) if _tells(views, surface, gains, light) else None


def _sampled(picture: F32, maps: tuple[F32, F32]) -> F32:
    return np.asarray(cv2.remap(picture, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def _rest(view: _View, surface: F32, gain: F64) -> F32:
    """What the surface leaves of a frame."""
    return np.asarray(view.picture - gain.astype(np.float32) * _sampled(surface, view.inverse))


def _middle(pictures: Sequence[F32], share: float = 50.0) -> tuple[F32, F32]:
    """A percentile over pictures where each is known (infinite elsewhere), 0 where none is; and how many know a place."""
    every = np.stack(pictures, axis=-1).astype(np.float32)
    every.sort(axis=-1)  # what is not known goes last
    count = np.isfinite(every[..., 0, :]).sum(-1)
    at = (np.maximum(count - 1, 0) * (share / 100)).astype(int)
    chosen = np.take_along_axis(every, np.repeat(at[..., None, None], 3, axis=2), axis=-1)[..., 0]
    return np.asarray(np.where(count[..., None] > 0, chosen, 0), np.float32), np.asarray(count)


def _gain(view: _View, surface: F32, light: F32) -> F64:
    """One gain a channel of a frame over the surface."""
    then = _sampled(surface, view.inverse)
    known = view.bare & (mean(then) > LEAST)
    if known.sum() < 200:
        return np.ones(3)
    return np.asarray(np.median(np.maximum(view.picture - light, 0)[known] / np.maximum(then[known], LEAST), axis=0))


def _filled(light: F32, known: Mask) -> F32:
    """Places that too few frames show take what is round about."""
    weight = known.astype(np.float32)
    share = cv2.GaussianBlur(weight, (0, 0), FILL)[..., None]
    around = cv2.GaussianBlur(light * weight[..., None], (0, 0), FILL) / np.maximum(share, 0.05)
    return np.asarray(cv2.GaussianBlur(np.where(known[..., None], light, around), (0, 0), 0.7), np.float32)


def _tells(views: Sequence[_View], surface: F32, gains: Sequence[F64], light: F32) -> bool:
    """Whether the highlight is one: bright, and explaining most of what the surface alone does not, where it is strong.
    What the surface alone leaves is taken with the best surface that there is for that: the median of the frames."""
    level = mean(light)
    brightest = float(np.percentile(level, BRIGHTEST))
    strong = level > STRONG * brightest
    plain, _ = _middle([_sampled(view.picture, view.forward) / gain for view, gain in zip(views, gains, strict=True)])
    before = after = 0.0
    for view, gain in zip(views, gains, strict=True):
        here = view.bare & strong
        before += float((_rest(view, plain, gain)[here] ** 2).sum())
        after += float(((_rest(view, surface, gain) - light)[here] ** 2).sum())
    return after < EXPLAINS * before
