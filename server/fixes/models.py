"""Fixes and all that an artist makes for them.

Holds, paths, plates and strokes are never changed once made: a fix's *document* says which of them it uses and how.
A revision is a document kept, so that undo and redo only choose another one and nothing is ever lost.
"""

from django.conf import settings
from django.db import models
from jobs.models import Shot


class Here(models.Manager["Fix"]):
    """The fixes that were not taken away."""

    def get_queryset(self) -> models.QuerySet["Fix"]:
        return super().get_queryset().filter(gone__isnull=True)


class Fix(models.Model):
    """One thing to take out of a shot. ``version`` counts every change and guards against lost ones.

    A fix that is taken away is kept for some days (``gone``), so that it can be brought back; only ``every`` sees it.
    """

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="fixes")
    order = models.PositiveIntegerField(default=0)
    version = models.PositiveIntegerField(default=1)
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=1)
    unmeasured = models.CharField(max_length=300, blank=True, help_text="Why its tells could not be measured.")
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    gone = models.DateTimeField(null=True)

    objects = Here()
    every = models.Manager["Fix"]()

    class Meta:
        ordering = ["order", "id"]


class Revision(models.Model):
    """How a fix stood after a change; ``label`` says which."""

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    label = models.CharField(max_length=80)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["fix", "number"], name="one_revision_a_number")]
        ordering = ["number"]


class Path(models.Model):
    """An outline on the still surface: [{x, y, into, out}, ...]."""

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="paths")
    nodes = models.JSONField()
