"""What workers do when a hold has settled: look at what the shot says of its light and grain."""

from django.dispatch import receiver
from holds.models import Hold
from holds.reading import below_is_laid_by
from holds.signals import hold_settled

from laying.gathering import ensure
from laying.ready import codes_below

below_is_laid_by(codes_below)


@receiver(hold_settled)
def look(hold: Hold, **_: object) -> None:
    """Gather the evidence and choose, before the tells are measured."""
    ensure(hold.fix, hold)
