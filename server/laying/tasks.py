"""What workers do when a hold has settled: look at what the shot says of its light and grain."""

from django.conf import settings
from django.dispatch import receiver
from fixes.change import Conflict
from fixes.models import Fix
from holds.models import Hold
from holds.reading import below_is_laid_by
from holds.signals import hold_settled
from procrastinate.contrib.django import app

from hushcore.errors import HushError
from laying import proposing
from laying.gathering import ensure
from laying.ready import codes_below

below_is_laid_by(codes_below)


@receiver(hold_settled)
def look(hold: Hold, **_: object) -> None:
    """Gather the evidence and choose, before the tells are measured."""
    ensure(hold.fix, hold)


@app.task(queue="default", name="propose")
def propose(fix: int) -> None:
    """A first retouch for a fix that has just been circled, unless its artist was faster or nothing is good enough."""
    found = Fix.objects.select_related("shot__clip").filter(id=fix).first()
    if not settings.PROPOSE or found is None or found.document["plates"] or found.document["stands"]:
        return
    try:
        proposal = proposing.proposed(found, [])
        if proposal is not None:
            proposing.take(found, found.version, None, proposal, [])
    except (Conflict, HushError):
        return  # what the artist does meanwhile goes before; what is wrong with the shot is said where it is looked at
