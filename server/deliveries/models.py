"""Deliveries and the proof of each frame."""

from django.conf import settings
from django.db import models
from jobs.models import Shot


class Delivery(models.Model):
    """Finished frames of a shot, with the fixes as they stood when it was asked for."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RENDERING = "rendering"
        STOPPED = "stopped"
        DONE = "done"
        FAILED = "failed"

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="deliveries")
    folder = models.CharField(max_length=500)
    first = models.IntegerField()
    last = models.IntegerField()
    recipe = models.JSONField()
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    with_look = models.BooleanField(default=False)
    with_preview = models.BooleanField(default=False)
    stop_asked = models.BooleanField(default=False)
    problem = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class DeliveredFrame(models.Model):
    """What is known about one written frame; see ``hushcore.deliver.frames.FrameProof``."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="frames")
    frame = models.IntegerField()
    proof = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["delivery", "frame"], name="one_proof_a_frame")]
        ordering = ["frame"]
