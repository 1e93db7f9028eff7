"""A mark that stands in the frame and lets the picture through: frame = passes * picture + veil, in tonal values.

What a station lays over a finished film is most often see-through ("over", Porter & Duff 1984). The plate and what the frame
shows between its lines say over the shot what the picture under it is; from that how much passes is found, and then every
frame's own picture comes back from under it, whatever is there: a hand, a shadow's edge, what lies beside the surface.
"""

import base64
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from scipy.optimize import brentq

from hushcore.arrays import F32, F64, Mask, Rect, mean, most
from hushcore.colour.encoding import Encoding
from hushcore.patch.standing import Stack
from hushcore.patch.trusted import Trust

SHARES = np.arange(0.1, 1.0, 0.05)  # of the frame that is the veil: what is tried
CORE = 75.0  # percentile of how much places differ from the picture: the mark's full lines
FULL = 20  # percentile of what passes: the full lines
ROUNDS, OUTLIER = 4, 1.5  # of the robust fit; deviations
WRONG = 0.045  # tonal: what is left unexplained by more is not the veil's doing
SLOPE_OFF = 0.05  # by which what passes at a place may differ from what the veil's one tone says
LEAST_ALIKE = 0.5  # of what lies under the lines is in a picture that is carried on
LIES = 0.999  # passes at most where an overlay is known to lie: something is taken off there, if only light
SEARCHED = 1500  # places that tell which share it is
PASSES_LEAST = 0.12  # of the picture: with less the frame's own grain drowns it
GAIN_LEAST = 0.05  # share of what is left unexplained by which the best must beat the least veil
# px over which the picture is corrected, and by how much a correction must exceed its own variance: fine ones by far
GATES = ((8.0, 4.0), (4.0, 5.0), (2.0, 8.0), (1.0, 100.0))
NEAREST = 0.8  # px over which a correction is judged, at least
# A film was finished, grain and all, before the veil was laid over it: what is left of its finest detail under the full lines
# comes back as it was. Coding it afterwards adds what the division makes stronger.
AS_BESIDE = 1.25  # times the finest detail beside the lines
BESIDE = (3, 14)  # px from the lines
LINES = 0.97  # of the picture that passes: less is one of them
OUTLINE = 0.04  # of a veil's shape that may be left of it, or taken too much
ASIDE = ((0, 13), (0, -13), (13, 0), (-13, 0), (12, 18), (-12, -18), (18, -12), (-18, 12))  # px, where it does not lie
OUTLINE_SIGMA, STEEP = 4.0, 0.02  # px over which that is told; share by which it must change within them
SURELY = 2.0  # times what a picture has of its shape by chance: it is there
FULLY = 0.02  # of the picture at least that a full line takes
STAIN = 0.008  # tonal: more than that is seen
FADES = 0.005  # to which a frame's share of it is found
EVENED = ((0.0, 1.0), (1.0, 2.0), (2.0, 4.0))  # px: bands that are held against those beside it
UNSEEN, SEEN, SEEN_SIGMA = 0.006, 0.018, 3.0  # tonal: smaller corrections are left; from there on all counts; px


@dataclass(frozen=True)
class Veil:
    """Over ``rect`` of the frame: how much of the picture ``passes`` (h, w; 1 beside the mark), the veil's own ``tone``
    (h, w, 3; tonal), the ``noise`` (tonal, a standard deviation) of a frame against it, and how ``rough`` the picture comes
    back: its finest detail under the full lines, over that beside them. ``linear``: it was laid over linear light, and all
    this is of that. ``trust``: how far what comes back can be trusted, where not all of it; ``stain``: what of it stays without
    an outline (tonal, RMS)."""

    rect: Rect
    passes: F32
    tone: F32
    noise: float
    rough: float = np.inf
    linear: bool = False
    trust: Trust | None = None
    stain: float = 0.0

    @property
    def share(self) -> float:
        """Of the picture that passes through its full lines."""
        return float(np.percentile(self.passes[self.passes < 1], FULL)) if (self.passes < 1).any() else 1.0

    @property
    def stained(self) -> bool:
        """Whether something of it stays that anyone would see."""
        return self.stain > STAIN

    @property
    def full_tone(self) -> F32:
        """What (3,) the full lines would be with nothing under them."""
        full = (self.passes < 1) & (self.passes <= self.share)
        return np.asarray(np.median(self.tone[full] / (1 - self.passes[full])[:, None], axis=0), np.float32)

    @property
    def lines(self) -> Mask:
        """Where (h, w) the mark lies, without its soft borders."""
        return np.asarray(self.passes < 1 - 0.5 * (1 - self.share))

    def tone_of(self, core: Mask) -> F32:
        """Its usual tone (3,) where ``core`` says that it is full."""
        whole = self.tone[core] / np.maximum(1 - self.passes[core], FULLY)[:, None]
        return np.asarray(np.median(whole, 0), np.float32)

    def bare(self, frame: F32, cover: F32) -> F32:
        """The picture (h, w, 3) that is under the veil in a ``frame``, tonal, where ``cover`` says that it lies."""
        bare = (frame - self.tone) / np.maximum(self.passes, PASSES_LEAST)[..., None]
        return np.asarray(np.where((cover > 0)[..., None], np.maximum(bare, 0), frame), np.float32)

    def roughness(self, frame: F32, bare: F32) -> float:
        """The finest detail of what comes back of a frame (tonal), over the frame's beside; not a number where none is seen."""
        full, near = self._sides()
        if not full.any() or not near.any():
            return np.nan
        under, beside = (np.median(np.abs(side - cv2.GaussianBlur(side, (0, 0), 1.0))[on])
                         for side, on in ((bare, full), (frame, near)))  # fmt: skip
        return float(under / beside) if beside > 0 else np.nan

    def whole(self, beneath: F32, cover: F32, encoding: Encoding) -> F32 | None:
        """The frame's own picture under the veil, linear, as it was before that was laid on it; None where it would come back
        rougher than it was, or this veil is not what lies on the frame."""
        if self.rough > AS_BESIDE or (self.passes[cover > 0] < PASSES_LEAST).any():
            return None
        frame = np.maximum(beneath, 0)
        bare = self.bare(frame if self.linear else encoding.tonal_of(frame), cover)
        if abs(self.left_in(bare)) > OUTLINE:
            return None
        less = np.clip((1 - self.passes) / (1 - self.share), 0, 1) * np.float32(max(0.0, 1 - 1 / self.rough))
        fine = bare - cv2.GaussianBlur(bare, (0, 0), 1.0)
        bare = np.asarray(bare - less[..., None] * fine, np.float32)
        return bare if self.linear else encoding.from_tonal(bare)

    def outline(self, frame: F32) -> float:
        """How much of the veil would be left of its outline, taken off a frame (values as it was fitted on)."""
        return self.left_in(self.bare(frame, 1 - self.passes))

    def strength(self, frame: F32) -> float:
        """How much (0..1) of the veil lies on a frame: less than one where it fades in or out. One where that cannot be told,
        for its tone is the picture's."""
        left, over = self.left_in(frame), self.outline(frame)
        if abs(over) <= OUTLINE:
            return 1.0
        if left * over >= 0:  # taking it off only adds to what is seen of it anyway, or takes away too little
            return 0.0 if abs(left) <= abs(over) else 1.0
        sides = mean(frame)[..., None], mean(self.bare(frame, 1 - self.passes))[..., None]
        if abs(left) <= SURELY * min(float(self._by_chance(side)[0]) for side in sides):
            return 0.0  # its own lines are not taken for chance on the one side or on the other

        def left_of(share: float) -> float:
            faded = self.times(share)
            return self.left_in(faded.bare(frame, 1 - faded.passes))

        return float(brentq(left_of, 0, 1, xtol=FADES))

    def times(self, strength: float) -> "Veil":
        """The veil where it has faded to a share of itself."""
        k = np.float32(strength)
        return replace(
            self, passes=np.asarray(1 - k * (1 - self.passes), np.float32), tone=np.asarray(k * self.tone, np.float32)
        )

    def evened(self, bare: F32, frame: F32) -> F32:
        """What came back of a frame with its finest detail no stronger than the frame's beside the lines: what coding has added
        since was made stronger by the division."""
        full, near = self._sides()
        if not full.any() or not near.any():
            return bare
        less = np.clip((1 - self.passes) / (1 - self.share), 0, 1)[..., None]
        for fine, broad in EVENED:
            under, beside = (_band(side, fine, broad) for side in (bare, frame))
            sizes = float(np.median(np.abs(under[full]))), float(np.median(np.abs(beside[near])))
            if sizes[0] > sizes[1]:
                bare = np.asarray(bare - less * np.float32(1 - sizes[1] / sizes[0]) * under, np.float32)
        return bare

    def _sides(self) -> tuple[Mask, Mask]:
        """The full lines, and what lies beside them."""
        shares = self.passes[self.passes < LINES]
        full = self.passes <= np.median(shares) if len(shares) else np.zeros(self.passes.shape, bool)
        out = cv2.distanceTransform((self.passes >= LINES).astype(np.uint8), cv2.DIST_L2, 5)
        return full, (out > BESIDE[0]) & (out < BESIDE[1])

    def left_in(self, bare: F32) -> float:
        """How much of the veil is still in a picture, or was taken too much."""
        return float(self._left(mean(bare)[..., None])[0])

    def _left(self, sides: F32) -> F32:
        """How much of the veil's shape each of some planes (h, w, n) has."""
        shape = (1 - self.passes)[..., None]
        shape, fine = (side - _blurred(side, OUTLINE_SIGMA) for side in (shape, sides))
        steep = np.abs(shape[..., 0]) > STEEP
        if not steep.any():
            return np.zeros(sides.shape[2], np.float32)
        return np.asarray((shape * fine)[steep].sum(0) / (shape * shape)[steep].sum(), np.float32)

    def told(self, bare: F32) -> tuple[F32, F32]:
        """What is left in a picture (3,), in lightness and in two differences of colour; and how much of each would be found by
        chance (RMS) where the veil does not lie."""
        sides = np.stack([mean(bare), bare[..., 0] - bare[..., 1], bare[..., 2] - bare[..., 1]], -1)
        return self._left(sides), self._by_chance(sides)

    def _by_chance(self, sides: F32) -> F32:
        """How much (n,; RMS) of the veil's shape some planes have where it does not lie."""
        found = [self._left(np.roll(sides, by, (0, 1))) for by in ASIDE]
        return np.asarray(np.sqrt(np.mean(np.square(found), 0)), np.float32)

    def lifted(self, beneath: F32, made: F32, cover: F32, encoding: Encoding) -> F32:
        """The patch ``made`` (h, w, 3) corrected towards what the frame ``beneath`` shows under the veil, both linear, wide
        differences first, as far as they stand out from the frame's noise; as it is where this veil is not what lies on the
        frame, or is one over linear light."""
        frame, picture = (encoding.tonal_of(np.maximum(side, 0)) for side in (beneath, made))
        if self.linear or abs(self.left_in(self.bare(frame, cover))) > OUTLINE:
            return made
        on = (cover > 0) & (self.passes >= PASSES_LEAST) & (self.passes < 1)
        passes = np.where(on, self.passes, 1).astype(np.float32)
        apart = np.where(on[..., None], (frame - self.tone) / passes[..., None] - picture, 0).astype(np.float32)
        weight = np.where(on, passes**2, 0).astype(np.float32)
        change = np.zeros_like(apart)
        for sigma, gate in GATES:
            total = np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-4)
            step = cv2.GaussianBlur((apart - change) * weight[..., None], (0, 0), sigma) / total[..., None]
            power = cv2.GaussianBlur(mean(step * step), (0, 0), max(NEAREST, sigma / 2))
            chi = power * total * np.float32(4 * np.pi * sigma**2 / self.noise**2)
            change += step * np.maximum(0, 1 - gate / np.maximum(chi, 1e-6))[..., None]
        size = cv2.GaussianBlur(most(np.abs(change)), (0, 0), SEEN_SIGMA)
        t = np.clip((size - UNSEEN) / (SEEN - UNSEEN), 0, 1)
        change *= np.where(cover > 0, t * t * (3 - 2 * t), 0)[..., None]
        mixed = encoding.from_tonal(np.asarray(np.maximum(picture + change, 0), np.float32))
        return np.asarray(np.where((change != 0).any(-1)[..., None], mixed, made), np.float32)

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        return {
            "rect": [self.rect.left, self.rect.top, self.rect.right, self.rect.bottom], "noise": round(self.noise, 5),
            "rough": round(self.rough, 3) if np.isfinite(self.rough) else None, "linear": self.linear,
            "stain": round(self.stain, 5), "maps": _packed(np.dstack([self.passes, self.tone])),
            "trust": None if self.trust is None else _packed(self.trust.maps),
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Veil":
        """From ``plain`` data."""
        rect = Rect(*data["rect"])
        maps, rough = _unpacked(data["maps"], rect), data.get("rough")
        kept = _unpacked(data["trust"], rect) if data.get("trust") else None
        return Veil(
            rect, np.ascontiguousarray(maps[..., 0]), np.ascontiguousarray(maps[..., 1:]), float(data["noise"]),
            np.inf if rough is None else float(rough), bool(data.get("linear", False)),
            None if kept is None else Trust.of(kept), float(data.get("stain", 0)),
        )  # fmt: skip


def _packed(maps: F32) -> str:
    return base64.b64encode(zlib.compress(maps.astype("<f2").tobytes(), 6)).decode()


def _unpacked(data: str, rect: Rect) -> F32:
    flat = np.frombuffer(zlib.decompress(base64.b64decode(data)), "<f2").astype(np.float32)
    return flat.reshape(rect.height, rect.width, -1)


def _blurred(planes: F32, sigma: float) -> F32:
    return np.asarray(cv2.GaussianBlur(planes, (0, 0), sigma).reshape(planes.shape), np.float32)


def _band(picture: F32, fine: float, broad: float) -> F32:
    above = picture if fine == 0 else cv2.GaussianBlur(picture, (0, 0), fine)
    return np.asarray(above - cv2.GaussianBlur(picture, (0, 0), broad), np.float32)


def fitted(
    rect: Rect, cover: F32, frames: Sequence[F32], pictures: Sequence[F32], linear: bool = False
) -> Veil | None:  # fmt: skip
    """A veil from some frames of a shot and the ``pictures`` that should be under it (h, w, 3 each; tonal, or ``linear``), where
    ``cover`` (h, w) says that the mark lies; None where a see-through one does not explain the frames."""
    on: Mask = cover > 0
    if not on.any():
        return None
    seen, under = (np.stack([side[on] for side in sides]) for sides in (frames, pictures))  # (frames, places, 3)
    apart = mean(np.median(np.abs(seen - under), axis=0))
    core = apart >= np.percentile(apart, CORE)
    tone = _tone(seen, under, core)
    if tone is None:
        return None
    veil, weight = share_of(seen, under, tone)
    left = np.abs(seen - under - veil[None, :, None] * (tone - under))
    noise = 1.4826 * float(np.median(left))
    passes, own = of_places(seen, under, 1 - veil, weight, noise)
    whole = np.ones(cover.shape, np.float32)
    tones = np.zeros((*cover.shape, 3), np.float32)
    whole[on], tones[on] = passes, own
    made = Veil(rect, whole, tones, max(noise, 1e-4), linear=linear)
    if made.share < PASSES_LEAST:
        return None
    rough = [made.roughness(frame, made.bare(frame, cover)) for frame in frames]
    return replace(made, rough=float(np.nan_to_num(np.median(rough), nan=np.inf)))


def _tone(seen: Stack, under: Stack, core: Mask) -> F32 | None:
    """The tone (3,) of a veil that leaves least unexplained, its share on the full lines tried; None where the thinnest does
    nearly as well."""
    every = max(1, seen.shape[1] // SEARCHED)
    some, their = seen[:, ::every], under[:, ::every]
    left, tones = [], []
    for share in SHARES:
        tone = np.median((seen[:, core] - (1 - share) * under[:, core]) / share, axis=(0, 1)).astype(np.float32)
        veil, _ = share_of(some, their, tone)
        rest = np.abs(some - their - veil[None, :, None] * (tone - their))
        left.append(float(np.minimum(rest, WRONG).mean()))
        tones.append(tone)
    k = int(np.argmin(left))
    if left[k] > (1 - GAIN_LEAST) * left[0]:
        return None
    return tones[k]


def share_of(seen: Stack, under: Stack, tone: F32) -> tuple[F32, F32]:
    """How much (places,) of the frames is a veil of one tone, by robust least squares, and the weights of frames and
    places: something under it that the picture does not know is left out."""
    to, apart = tone - under, seen - under
    weight = np.ones(seen.shape[:2], np.float32)
    veil = np.zeros(seen.shape[1], np.float32)
    for _ in range(1 + ROUNDS):
        above = (weight[..., None] * apart * to).sum((0, 2))
        veil = np.asarray(above / np.maximum((weight[..., None] * to * to).sum((0, 2)), 1e-6), np.float32)
        rest = np.sqrt(((apart - veil[None, :, None] * to) ** 2).mean(-1))
        limit = OUTLIER * (1.4826 * float(np.median(rest)) + 1e-3)
        weight = np.asarray(1 / (1 + (rest / limit) ** 2) ** 2, np.float32)
    return veil, weight


def of_places(
    seen: Stack, under: Stack, passes: F32, weight: F32, noise: float, known: tuple[Mask, float] | None = None
) -> tuple[F32, F32]:
    """What passes at each place (places,), near what is thought to, and the place's own veil (places, 3). ``known``: places and
    the share that passes there. Pictures that are only carried on under the lines are not quite what is there, which makes
    slopes on them too small: by as much as on those."""
    w = weight[..., None]
    count = w.sum(0)
    middle, other = (w * under).sum(0) / count, (w * seen).sum(0) / count
    spread: F64 = (w * (under - middle) ** 2).sum((0, 2))
    both: F64 = (w * (under - middle) * (seen - other)).sum((0, 2))
    if known is not None:
        core, share = known
        both = both / np.clip(both[core].sum() / (share * spread[core].sum()), LEAST_ALIKE, 1 / LEAST_ALIKE)
    prior = (noise / SLOPE_OFF) ** 2
    own = np.clip((both + prior * passes) / (spread + prior), 0.02, 1 if known is None else LIES).astype(np.float32)
    return own, np.asarray(other - own[:, None] * middle, np.float32)
