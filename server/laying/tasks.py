"""What workers do when a hold has settled: look at what the shot says of its light and grain."""

import logging

from django.conf import settings
from django.dispatch import receiver
from fixes.change import Conflict
from fixes.models import Fix
from fixes.signals import fix_changed
from holds.current import current_hold
from holds.models import Hold
from holds.reading import below_is_laid_by
from holds.signals import hold_settled
from procrastinate.contrib.django import app

from hushcore.errors import HushError
from laying import proposing
from laying.gathering import ensure
from laying.ready import codes_below

below_is_laid_by(codes_below)
log = logging.getLogger("hush")


@receiver(hold_settled)
def look(hold: Hold, **_: object) -> None:
    """Propose a retouch where there is none, gather the evidence and choose, before the tells are measured."""
    first_retouch(hold.fix_id, settled=True)
    ensure(Fix.objects.select_related("shot__clip").get(id=hold.fix_id), hold)


@app.task(queue="track", priority=10, name="first_look")
def first_look(fix: int) -> None:
    """A fix was made on a hold that is settled already, or that may be needless."""
    first_retouch(fix)
    found = Fix.objects.select_related("shot__clip").filter(id=fix).first()
    if found is not None and found.document["hold"]:
        ensure(found, current_hold(found))
        fix_changed.send(Fix, fix=found, before=found.document)


def first_retouch(fix: int, settled: bool = False) -> None:
    """A retouch for a fix that has just been circled, unless its artist was faster or nothing is good enough. Of a mark that
    stands: what shows through it, at first; once its ground is ``settled``, what lies behind it."""
    found = Fix.objects.select_related("shot__clip").filter(id=fix).first()
    if not settings.PROPOSE or found is None or not _only_circled(found):
        return
    try:
        if found.document["stands"]:
            propose = proposing.propose_behind if settled else proposing.propose_unveiled
            propose(found)
            return
        made = proposing.proposed(found, [], [])
        if made is not None:
            proposing.take(found, found.version, None, made, [], [])
    except (Conflict, HushError):
        return  # what the artist does meanwhile goes before; what is wrong with the shot is said where it is looked at
    except Exception:
        log.exception(
            "no retouch could be proposed for fix %s", fix
        )  # the shot is read and its tells measured all the same


def _only_circled(fix: Fix) -> bool:
    """Whether nothing was ever taken as a plate: who undoes a proposal does not get it again."""
    chosen = fix.document["source"] != "replace" or fix.plates.exists()
    return not chosen and not fix.revisions.filter(document__has_key="proposed").exists()
