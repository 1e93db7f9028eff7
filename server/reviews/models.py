"""Versions of a shot, notes on its frames, and what was said of it."""

from django.conf import settings
from django.db import models
from jobs.models import Shot


class Version(models.Model):
    """A state of a shot that was given a name: its fixes' documents and its look as they stood. Never changed."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    entries = models.JSONField()
    look = models.JSONField(default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)
    sent = models.BooleanField(default=False, help_text="It was sent to review.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["shot", "number"], name="one_version_a_number")]
        ordering = ["-number"]


class Note(models.Model):
    """Words pinned to a frame and a spot (px of the frame; none: the whole frame), with lines drawn on it."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="notes")
    version = models.ForeignKey(Version, models.SET_NULL, null=True)
    frame = models.IntegerField()
    x = models.FloatField(null=True)
    y = models.FloatField(null=True)
    lines = models.JSONField(default=list, help_text="Freehand lines, [[[x, y], ...], ...] in frame px.")
    words = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)
    done = models.DateTimeField(null=True)
    done_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["frame", "id"]


class Answer(models.Model):
    """An answer to a note."""

    note = models.ForeignKey(Note, models.CASCADE, related_name="answers")
    words = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Verdict(models.Model):
    """A version approved, or returned with words."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="verdicts")
    version = models.ForeignKey(Version, models.CASCADE, related_name="verdicts")
    approved = models.BooleanField()
    words = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]
