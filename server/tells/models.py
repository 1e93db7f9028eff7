"""What gives a fix away, frame by frame."""

from django.db import models
from fixes.models import Fix


class Tell(models.Model):
    """The tells of a fix on a frame, and ``state``: exactly what they were measured on."""

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="tells")
    frame = models.IntegerField()
    state = models.CharField(max_length=32)
    values = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["fix", "frame"], name="one_tell_a_frame")]
        ordering = ["frame"]
