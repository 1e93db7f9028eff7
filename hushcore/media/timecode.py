"""Timecode after SMPTE ST 12-1: frames to hours, minutes, seconds and frames, drop frame too."""

import re
from fractions import Fraction

from hushcore.errors import HushError

_WRITTEN = re.compile(r"^(\d{1,2}):(\d{2}):(\d{2})([:;.])(\d{2,3})$")
DROPPED = {30: 2, 60: 4, 120: 8}  # numbers skipped a minute, by the counting base
DAY = 24


def base_of(rate: Fraction) -> int:
    """Frames counted a second: 24 for 24000/1001."""
    return max(1, round(rate))


def can_drop(rate: Fraction) -> bool:
    """Drop frame exists for the NTSC rates only."""
    return rate.denominator == 1001 and base_of(rate) in DROPPED


def written(frames: int, rate: Fraction, drop: bool = False) -> str:
    """``hh:mm:ss:ff`` of a frame count since midnight; ``;`` before the frames for drop frame.

    Raises HushError when drop frame is asked for at a rate that has none.
    """
    base = base_of(rate)
    if drop:
        _must_drop(rate)
        skipped = DROPPED[base]
        a_minute, ten = 60 * base - skipped, 600 * base - 9 * skipped
        tens, rest = divmod(frames % (DAY * 6 * ten), ten)
        frames = tens * 600 * base + rest
        if rest >= 60 * base:  # the first of ten minutes keeps its numbers
            frames += skipped * (1 + (rest - 60 * base) // a_minute)
    seconds, part = divmod(frames % (DAY * 3600 * base), base)
    width = len(str(base - 1))
    mark = ";" if drop else ":"
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{mark}{part:0{max(2, width)}d}"


def frames_of(text: str, rate: Fraction) -> int:
    """Frames since midnight of a written timecode; ``;`` or ``.`` before the frames means drop frame.

    Raises HushError for one that does not exist.
    """
    match = _WRITTEN.match(text.strip())
    if match is None:
        raise HushError(f"{text!r} is not a timecode; write it like 01:00:00:00.", "bad-timecode")
    hours, minutes, seconds, part = (int(match[k]) for k in (1, 2, 3, 5))
    base = base_of(rate)
    if hours >= DAY or minutes > 59 or seconds > 59 or part >= base:
        raise HushError(f"{text} does not exist at {base} frames a second.", "bad-timecode")
    total = ((hours * 60 + minutes) * 60 + seconds) * base + part
    if match[4] == ":":
        return total
    _must_drop(rate)
    skipped = DROPPED[base]
    if seconds == 0 and part < skipped and minutes % 10:
        raise HushError(f"{text} does not exist: drop frame skips it.", "bad-timecode")
    whole = hours * 60 + minutes
    return total - skipped * (whole - whole // 10)


def _must_drop(rate: Fraction) -> None:
    if not can_drop(rate):
        raise HushError(f"There is no drop frame at {float(rate):.3f} frames a second.", "bad-timecode")


def after(start: str, frames: int, rate: Fraction) -> str:
    """The timecode ``frames`` after ``start``; empty where there is none, or one that does not exist at this rate."""
    if not start:
        return ""
    try:
        return written(frames_of(start, rate) + frames, rate, ";" in start or "." in start)
    except HushError:
        return ""


def bcd(text: str) -> int:
    """The word that SMPTE ST 12-1 keeps in files: binary coded decimals, hours in the top byte; bit 6 of the frames says drop
    frame. Frame numbers from 40 on do not fit and are left at their last digit's place."""
    digits = [int(part) for part in re.split(r"[:;.]", text)]
    word = 0
    for value in digits:
        word = word << 8 | (value // 10 & 0xF) << 4 | value % 10
    return word | (0x40 if ";" in text and digits[-1] < 40 else 0)
