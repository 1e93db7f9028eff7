"""What workers have read of a shot for a fix."""

from django.db import models
from fixes.models import Fix


class Evidence(models.Model):
    """What a shot said about its light, grain and shutter; ``key`` names what it was read with."""

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="evidence")
    key = models.CharField(max_length=32)
    data = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["fix", "key"], name="one_evidence_a_key")]
