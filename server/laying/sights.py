"""What a fix sees and does on a frame, as pictures of the still surface: light, matte, what is in front."""

from dataclasses import replace

import numpy as np
from fixes.models import Fix
from holds.models import Hold

from hushcore.arrays import F32, Codes, Rect
from hushcore.errors import HushError
from hushcore.grain.lay import degrained
from hushcore.patch.candidate import light_at
from hushcore.patch.fix import on_frame
from hushcore.patch.lay import lay
from hushcore.patch.look import look
from laying import evidence, ready

KINDS = ("light", "matte", "front")
GREY = 118  # the display value of no change
STOP = 56  # display steps a stop of light
DIMMED = 40  # of 255, of what is outside


def sight(fix: Fix, what: str, frame: int) -> Codes:
    """An 8-bit picture (h, w, 3) over the Still view's rectangle. Raises HushError for what cannot be shown."""
    if what not in KINDS:
        raise HushError(f"There is no view called {what!r}; choose {', '.join(KINDS)}.", "bad-view")
    prepared, hold = ready.ready(fix)
    near = ready.hold_near(hold, frame, prepared.reach)
    if not near.has(frame):
        raise HushError(f"The hold has not been measured on frame {frame}; track to it first.", "not-held")
    codes, here = ready.codes_below(fix, frame), replace(prepared, hold=near)
    view = ready.view_rect(hold, near)
    out = np.full((view.height, view.width, 3), DIMMED if what != "light" else GREY, np.uint8)
    if here.plan.unveils:  # nothing is lit, and nothing passes before it
        if what == "matte":
            bare = lay(codes, frame, here)
            _put(out, view, bare.rect, np.repeat(np.rint(bare.matte * 255)[..., None], 3, 2))
        return out
    laid = on_frame(here, frame)
    seen = look(codes, frame, laid)
    if seen is None:
        return out
    spot = seen.spot
    if what == "light":
        light = light_at(frame, 0, seen, laid)
        picture = _shown_light(light.gain, light.added, seen.current)
    elif what == "matte":
        cover = spot.matte if seen.covering is None else spot.matte * (1 - seen.covering.alpha)
        picture = np.repeat(np.rint(cover * 255)[..., None], 3, 2)
    else:
        alpha = np.zeros_like(spot.matte) if seen.covering is None else seen.covering.alpha
        picture = np.repeat(np.rint(alpha * 255)[..., None], 3, 2)
    _put(out, view, spot.rect, picture)
    return out


def _put(out: Codes, view: Rect, rect: Rect, picture: F32) -> None:
    """Lay a picture over ``rect`` into one over ``view``."""
    part = rect.within(view)
    out[part.moved(-view.left, -view.top).slices] = picture[part.moved(-rect.left, -rect.top).slices]


def _shown_light(gain: F32, added: F32 | None, current: F32) -> F32:
    """Gains round their own median as grey steps, added light on top."""
    level = np.median(gain, axis=(0, 1))
    shown = GREY + STOP * (gain - level) / np.log(2.0)
    if added is not None:
        shown = shown + STOP * added / max(float(np.median(current)), 1e-3)
    return np.asarray(np.clip(np.rint(shown), 0, 255), np.float32)


def grainless(linear: F32, fix: Fix, hold: Hold) -> F32:
    """A plate's picture with the measured grain taken off, for looking and painting by."""
    grain = evidence.of(fix, hold).grain
    if grain is None:
        return linear
    encoding = fix.shot.clip.encoding
    return encoding.from_tonal(degrained(encoding.tonal_of(np.maximum(linear, 0)), grain))
