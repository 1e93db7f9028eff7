"""What a frame shows of a surface, place by place, and what a surface usually shows over its shot."""

import base64
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from hushcore.arrays import F32, Mask, known_percentile
from hushcore.edge import strands

USUAL_FRAMES, USUAL_LOW = 5, 0.3  # frames that tell what is usual, and the share of them that may look worse


@dataclass(frozen=True)
class Signs:
    """What a frame shows of a surface, all (h, w) at half size: how ``alike`` its texture is (correlation) and is
    ``expected`` to be beside its grain; log units by which its light (``rest``) and colour (``tint``) are not explained;
    where it is ``readable``; where the ``mark`` itself is seen, so that nothing can be in front of it;
    where it is ``brighter`` than the light explains, and by how much brighter or darker (``level``, log units); how strongly
    it shows ``lines`` (``strands``; None: not looked for)."""

    alike: F32
    expected: F32
    rest: F32
    tint: F32
    readable: Mask
    mark: Mask
    brighter: Mask
    level: F32
    lines: F32 | None = None


@dataclass(frozen=True)
class Usual:
    """What a surface usually shows at each of its places, over a shot: the same figures, from ``left``, ``top`` on (px of
    the still surface). What passes is there on few frames, a reflection or a fold on many."""

    left: int
    top: int
    alike: F32
    rest: F32
    tint: F32
    spread: F32
    lines: F32 | None = None

    @staticmethod
    def of_frames(left: int, top: int, frames: Sequence[Signs]) -> "Usual | None":
        """From some frames over the shot; None when they are too few to tell what is usual."""
        if len(frames) < USUAL_FRAMES:
            return None
        weak, strong = 100 * USUAL_LOW, 100 * (1 - USUAL_LOW)
        maps = {}
        for name, share in (("alike", weak), ("rest", strong), ("tint", strong), ("spread", strong)):
            source = "alike" if name == "spread" else name
            every = np.stack([np.where(one.readable, getattr(one, source), np.nan) for one in frames])
            maps[name] = np.nan_to_num(known_percentile(every, share), nan=-1.0)  # places that no frame shows: -1
        maps["spread"] = np.maximum(maps["spread"] - maps["alike"], 0)
        shown = [np.where(one.readable, one.lines, np.nan) for one in frames if one.lines is not None]
        return Usual(left, top, **maps, lines=strands.usual(shown) if shown else None)

    @property
    def unexplained(self) -> float:
        """Log units of light that are usually not explained, over all places that are known."""
        known = self.rest[self.rest >= 0]
        return float(np.median(known)) if known.size else 0.0

    def over(self, left: int, top: int, shape: tuple[int, int]) -> "Usual":
        """The part of it that lies under half-size places from ``left``, ``top`` on; -1 where nothing is known."""
        dx, dy = (left - self.left) // 2, (top - self.top) // 2
        move = np.array([[1, 0, -dx], [0, 1, -dy]], np.float32)
        parts = [
            cv2.warpAffine(side, move, (shape[1], shape[0]), flags=cv2.INTER_NEAREST, borderValue=-1.0)
            for side in self._maps
        ]
        return Usual(left, top, *(np.asarray(part, np.float32) for part in parts))

    @property
    def _maps(self) -> list[F32]:
        maps = [self.alike, self.rest, self.tint, self.spread]
        return maps if self.lines is None else [*maps, self.lines]

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data."""
        packed = np.stack([np.clip(np.rint(side * 50), -50, 127) for side in self._maps])
        return {
            "left": self.left, "top": self.top, "shape": list(self.alike.shape),
            "maps": base64.b64encode(zlib.compress(packed.astype(np.int8).tobytes(), 6)).decode(),
        }  # fmt: skip

    @staticmethod
    def of(data: dict[str, Any]) -> "Usual":
        """From ``plain`` data."""
        flat = np.frombuffer(zlib.decompress(base64.b64decode(data["maps"])), np.int8).astype(np.float32) / 50
        return Usual(int(data["left"]), int(data["top"]), *flat.reshape(-1, *data["shape"]))
