"""A small clip in any kind of file, with a fix that lies on it without a tracker: what deliveries are tried on."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np

from hushcore.arrays import Codes
from hushcore.colour.encoding import Encoding
from hushcore.deliver.frames import deliver_chunk, finish
from hushcore.deliver.pieces import Order, Piece, order
from hushcore.deliver.proof import FrameProof
from hushcore.edge.matte import Edge
from hushcore.hold.record import Hold, HoldFrame
from hushcore.media.clips import Clip, open_clip
from hushcore.media.pictures import write_codes
from hushcore.patch.fix import Fix, make_fix
from hushcore.patch.plan import Match, Plan
from hushcore.plates.plate import make_plate

WIDTH, HEIGHT, FIRST, COUNT = 160, 120, 1001, 6
MARK = (80.0, 60.0)


def picture(frame: int, depth: str = "uint16", channels: int = 3) -> Codes:
    """A soft picture with grain and a dark mark on it."""
    rng = np.random.default_rng(frame)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    grey = 0.55 + 0.1 * np.sin(x / 31) + 0.1 * np.cos(y / 23) + rng.normal(0, 0.01, x.shape)
    grey[np.hypot(x - MARK[0], y - MARK[1]) < 12] *= 0.4
    made = np.clip(np.stack([grey * tint for tint in (1.0, 0.9, 0.8, 1.2)[:channels]], -1), 0, 1)
    if depth.startswith("float"):
        return made.astype(depth)
    return np.asarray(np.rint(made * np.iinfo(depth).max), depth)


def clip_of(folder: Path, suffix: str = ".tif", depth: str = "uint16", channels: int = 3, bits: int = 16) -> Clip:
    """The clip on disk; ``bits``: real ones of DPX."""
    import OpenImageIO as oiio

    from hushcore.colour.encoding import spread

    for frame in range(FIRST, FIRST + COUNT):
        codes = picture(frame, depth, channels)
        spec = oiio.ImageSpec(WIDTH, HEIGHT, channels, {"float16": "half", "float32": "float"}.get(depth, depth))
        if bits < 16:
            codes = spread(codes >> (16 - bits), bits, codes.dtype)
            spec["oiio:BitsPerSample"] = bits
        write_codes(folder / f"pot.{frame:04d}{suffix}", codes, spec)
    return open_clip(folder)


def fix_on(clip, encoding: Encoding, at: tuple[float, float] = MARK, radius: float = 16.0) -> Fix:
    """The mark painted over, on a plane that does not move."""
    still = {
        frame: HoldFrame(np.eye(3), np.full((8, 10), 0.1, np.float32), 0.1, 1.0, False)
        for frame in clip.frames
        if frame != clip.first
    }
    hold = Hold("planar", clip.first, (clip.width, clip.height), None, (0, 0), still)
    codes = clip.read(clip.first)
    plate = make_plate(codes, hold, clip.first, [], None, encoding)
    painted = plate.painted.copy()
    x, y = round(at[0]) - plate.rect.left, round(at[1]) - plate.rect.top
    size = round(radius)
    painted[y - size : y + size, x - size : x + size] = painted[y - size : y + size, x + 30 - size : x + 30 + size]
    turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    outline = np.stack([at[0] + radius * np.cos(turns), at[1] + radius * np.sin(turns)], -1)
    from dataclasses import replace

    plan = Plan(Edge.of(outline, 0, 6), Match("off", grain="off"))
    return make_fix(hold, plan, [(clip.first, replace(plate, painted=painted))])


def ordered(clip, *pieces: Piece, space: str = "srgb", fixes: Sequence[str] = ("mark",)) -> Order:
    """What is asked for of the clip."""
    encoding = Encoding(space, clip.bits)
    return order(clip, encoding, pieces, fixes, {"clip": "pot", "shot": "010 pot"}, "10:00:00:00", Fraction(25))


def delivered(ready: Order, folder: Path, fixes: Sequence[tuple[str, Fix]], frames=None, **more) -> list[FrameProof]:
    """All of it, in chunks of three frames; the proofs."""
    found: list[FrameProof] = []

    def done(frame: int, proofs: list[FrameProof]) -> bool:
        found.extend(proofs)
        return True

    numbers = list(frames or ready.clip.frames)
    for k in range(0, len(numbers), 3):
        deliver_chunk(ready, numbers[k : k + 3], lambda _: fixes, folder, done, **more)
    finish(ready, numbers, folder)
    return found
