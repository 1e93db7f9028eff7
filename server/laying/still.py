"""Frames on the still surface, and the spot of a fix cut out."""

import cv2
from fixes.document import mark_of
from fixes.models import Fix
from holds.current import current_hold
from jobs.models import Shot
from jobs.pictures import as_bytes, codes_of
from jobs.viewing import View, seen

from hushcore.arrays import Codes, Rect
from hushcore.plates.plate import still_picture
from laying import bases, ready

CROP_HEIGHT = 84


def patched_codes(shot: Shot, frame: int, known: ready.Stack | None = None) -> Codes:
    """A frame with all fixes that can be laid, the last few kept."""
    return ready.laid_codes(shot, frame, known=known)


def still_codes(fix: Fix, frame: int, with_fixes: bool, rect: Rect | None = None) -> Codes:
    """Codes of the still picture over ``rect`` (the Still view's by default)."""
    hold = current_hold(fix)
    near = ready.hold_near(hold, frame)
    clip = fix.shot.clip
    codes = patched_codes(fix.shot, frame) if with_fixes else codes_of(clip.media(), frame)
    linear = still_picture(codes, near, frame, rect or ready.view_rect(hold, near), clip.encoding)
    return clip.encoding.encode(linear, codes.dtype)


def crop_bytes(fix: Fix, frame: int, after: bool) -> bytes:
    rect = spot(fix)
    codes = still_codes(fix, frame, after, rect)
    scale = CROP_HEIGHT / codes.shape[0]
    size = (max(1, round(codes.shape[1] * scale)), CROP_HEIGHT)
    return as_bytes(cv2.resize(seen(codes, fix.shot, View()), size, interpolation=cv2.INTER_AREA), "jpg")


def spot(fix: Fix) -> Rect:
    """The whole mark with a quarter of its size round it, twice as wide as tall: the strip's shape."""
    outline = mark_of(fix.document)
    if fix.document["edge"].get("hold"):  # carried by another hold: where it is half way through
        keys = bases.edge_of(fix).outlines[0].keys
        outline = keys[len(keys) // 2][1].line(True)[0]
    (left, top), (right, bottom) = outline.min(0), outline.max(0)
    x, y = (left + right) / 2, (top + bottom) / 2
    half = 1.25 * max((right - left) / 4, (bottom - top) / 2) + 8
    return Rect(int(x - 2 * half), int(y - half), int(x + 2 * half), int(y + half))
