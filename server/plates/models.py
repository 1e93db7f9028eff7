"""Reference frames and what is done on them; never changed once made."""

from django.db import models
from fixes.models import Fix


class Plate(models.Model):
    """A reference frame to retouch; ``picture`` is a finished one under the plates root, if it came back from outside.

    Each picture that comes back is a plate of its own, one ``issue`` further; the older ones stay.
    """

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="plates")
    frame = models.IntegerField()
    picture = models.CharField(max_length=300, blank=True)
    issue = models.PositiveIntegerField(default=1)
    start = models.CharField(max_length=8, default="below", help_text="below or shot")
    average = models.PositiveIntegerField(default=0, help_text="Frames round it that are averaged with it.")


class Export(models.Model):
    """A part of a plate's frame that went out to an image editor, so that it can come back to its place."""

    plate = models.ForeignKey(Plate, models.CASCADE, related_name="exports")
    left = models.IntegerField()
    top = models.IntegerField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    made = models.DateTimeField(auto_now_add=True)


class Artwork(models.Model):
    """A picture to put on the surface, under the plates root."""

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="artworks")
    file = models.CharField(max_length=300)
    name = models.CharField(max_length=120)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()


class Stroke(models.Model):
    """One stroke on a plate, as the engine's StrokeData."""

    plate = models.ForeignKey(Plate, models.CASCADE, related_name="strokes")
    data = models.JSONField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
