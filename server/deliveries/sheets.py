"""A contact sheet: each fix cut out before and after at even steps through the shot, with frame numbers and tells."""

import io
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from fixes.document import is_off, missing_part
from fixes.models import Fix
from jobs.models import Shot
from jobs.viewing import View, seen
from laying import still

from hushcore.arrays import Codes
from hushcore.errors import HushError
from hushcore.tells.measure import NAMES

FONTS = Path(__file__).resolve().parent / "fonts"
COLUMNS, CROP = 6, (240, 120)  # of a fix, and the size of a crop, px
MARGIN, GAP, LINE = 28, 8, 22
FELT, INK, SOFT = (30, 30, 30), (233, 233, 230), (176, 176, 173)
LEVELS = ((1.0, (111, 159, 141)), (2.0, (224, 161, 60)), (float("inf"), (226, 96, 61)))


Crops = list[tuple[int, Codes, Codes]]
Cut = dict[int, Crops]


def all_crops(shot: Shot) -> Cut:
    """The spots of all fixes that can be laid, by the fix's id."""
    return {fix.id: found for fix in shot.fixes.all() if (found := crops(fix))}


def steps(shot: Shot, count: int) -> list[int]:
    """Frames at even steps, the first and the last among them."""
    frames = np.linspace(shot.first, shot.last, min(count, shot.last - shot.first + 1))
    return sorted({round(float(frame)) for frame in frames})


def crops(fix: Fix, count: int = COLUMNS) -> Crops:
    """The spot of a fix at even steps: frame, before and after, 8 bit. Empty for a fix that cannot be laid."""
    if missing_part(fix.document):
        return []
    found, rect = [], still.spot(fix)
    for frame in steps(fix.shot, count):
        try:
            pair = [seen(still.still_codes(fix, frame, after, rect), fix.shot, View()) for after in (False, True)]
        except HushError:
            continue  # not held there: there is nothing to cut out
        before, after = (np.asarray(cv2.resize(one, CROP, interpolation=cv2.INTER_AREA)) for one in pair)
        found.append((frame, before, after))
    return found


def tells_on(fix: Fix, frame: int) -> tuple[str, float] | None:
    """The loudest tell of a frame."""
    row = fix.tells.filter(frame=frame).first()
    if row is None or is_off(fix.document, frame):
        return None
    name = max(NAMES, key=lambda one: row.values[one])
    return name, float(row.values[name])


def colour_of(value: float) -> tuple[int, int, int]:
    """A tell's colour: quiet, noticeable, loud."""
    return next(colour for limit, colour in LEVELS if value < limit)


@lru_cache(maxsize=8)
def font(name: str, size: int) -> Any:
    """One of our own fonts, for Pillow."""
    from fontTools.ttLib import TTFont  # noqa: PLC0415
    from PIL import ImageFont  # noqa: PLC0415

    plain, held = TTFont(FONTS / f"{name}.woff2"), io.BytesIO()
    plain.flavor = None
    plain.save(held)
    held.seek(0)
    return ImageFont.truetype(held, size)


def sheet(shot: Shot, cut: Cut) -> bytes:
    """The contact sheet of the spots in ``cut`` as a PNG. Raises HushError when there is no fix to show."""
    from PIL import Image, ImageDraw  # noqa: PLC0415

    rows = [(fix, cut[fix.id]) for fix in shot.fixes.all() if fix.id in cut]
    if not rows:
        raise HushError("There is nothing to put on a contact sheet yet: circle something first.", "incomplete")
    width = 2 * MARGIN + COLUMNS * CROP[0] + (COLUMNS - 1) * GAP
    tall = LINE + 2 * CROP[1] + GAP + LINE + 16
    made = Image.new("RGB", (width, 2 * MARGIN + 44 + tall * len(rows)), FELT)
    ink = ImageDraw.Draw(made)
    sans, mono, big = font("spline-sans", 15), font("spline-sans-mono", 13), font("spline-sans", 24)
    ink.text((MARGIN, MARGIN), shot.name, INK, big)
    said = f"{shot.job.name} · {shot.first} to {shot.last} · before above after"
    ink.text((width - MARGIN, MARGIN + 8), said, SOFT, sans, anchor="ra")
    top = MARGIN + 44
    for fix, found in rows:
        ink.text((MARGIN, top), fix.document["name"], INK, sans)
        for k, (frame, before, after) in enumerate(found):
            left = MARGIN + k * (CROP[0] + GAP)
            made.paste(Image.fromarray(before), (left, top + LINE))
            made.paste(Image.fromarray(after), (left, top + LINE + CROP[1] + 2))
            below = top + LINE + 2 * CROP[1] + 6
            ink.text((left, below), str(frame), SOFT, mono)
            loud = tells_on(fix, frame)
            if loud:
                words = f"{loud[0]} {loud[1]:.1f}"
                ink.text((left + CROP[0], below), words, colour_of(loud[1]), mono, anchor="ra")
        top += tall
    out = io.BytesIO()
    made.save(out, "PNG")
    return out.getvalue()
