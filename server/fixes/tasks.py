"""Fixes that were taken away are deleted after some days."""

from datetime import timedelta

from django.utils import timezone
from procrastinate.contrib.django import app

from fixes.models import Fix
from fixes.stack import KEEPERS, delete

KEPT = timedelta(days=14)


@app.periodic(cron="17 4 * * *")
@app.task(queue="default", queueing_lock="clear-gone", name="clear_gone")
def clear_gone(timestamp: int) -> None:
    """Delete what was taken away more than ``KEPT`` ago and nothing above needs, with all that was made for it."""
    for fix in Fix.every.filter(gone__lt=timezone.now() - KEPT):
        if not any(needed(fix.id) for needed in KEEPERS):
            delete(fix)
