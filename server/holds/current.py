"""The hold that a fix lies on now."""

from fixes.models import Fix

from holds.models import Hold
from hushcore.errors import HushError


def current_hold(fix: Fix) -> Hold:
    """The fix's hold. Raises HushError when it has none."""
    hold = Hold.objects.filter(id=fix.document["hold"]).first() if fix.document["hold"] else None
    if hold is None:
        raise HushError("No hold yet: circle the mark or draw the ground.", "no-hold")
    hold.fix = fix  # it is at hand: no need to look it up again
    return hold
