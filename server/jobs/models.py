"""Jobs, their shots, and the clips behind them."""

from pathlib import Path

from django.conf import settings
from django.db import models

from hushcore.errors import HushError
from hushcore.media.clips import Clip as MediaClip


class Job(models.Model):
    """A commission."""

    name = models.CharField(max_length=120)
    client = models.CharField(max_length=120, blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created"]


class Clip(models.Model):
    """The media behind a shot: where it is (relative to the footage root), and what it was found to be."""

    folder = models.CharField(max_length=500)
    stem = models.CharField(max_length=200, blank=True)
    digits = models.PositiveSmallIntegerField()
    suffix = models.CharField(max_length=12)
    first = models.IntegerField()
    last = models.IntegerField()
    missing = models.JSONField(default=list)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    channels = models.PositiveSmallIntegerField()
    depth = models.CharField(max_length=12)
    rate_num = models.PositiveIntegerField(default=24)
    rate_den = models.PositiveIntegerField(default=1)

    def media(self) -> MediaClip:
        """The engine's clip."""
        gone = set(self.missing)
        frames = tuple(n for n in range(self.first, self.last + 1) if n not in gone)
        folder = inside_root(settings.MEDIA_FOOTAGE, self.folder)
        return MediaClip(
            folder, self.stem, self.digits, self.suffix, frames, self.width, self.height, self.channels, self.depth
        )


class Shot(models.Model):
    """One continuous piece of picture in a job."""

    class Status(models.TextChoices):
        TODO = "todo", "To do"
        IN_HAND = "in-hand", "In hand"
        TO_REVIEW = "to-review", "To review"
        APPROVED = "approved", "Approved"
        DELIVERED = "delivered", "Delivered"

    job = models.ForeignKey(Job, models.CASCADE, related_name="shots")
    name = models.CharField(max_length=120)
    order = models.PositiveIntegerField(default=0)
    clip = models.ForeignKey(Clip, models.PROTECT)
    status = models.CharField(max_length=12, choices=Status.choices, default=Status.TODO)
    note = models.TextField(blank=True)

    class Meta:
        ordering = ["order", "id"]


def inside_root(root: Path, relative: str) -> Path:
    """A place under a storage root. Raises HushError for one that leaves it."""
    place = (root / relative).resolve()
    if not place.is_relative_to(root.resolve()):
        raise HushError(f"{relative} lies outside the storage root; choose a folder inside it.", "outside-root")
    return place
