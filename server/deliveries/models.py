"""Deliveries, what is known about each of their frames, and what a job delivers each time."""

from django.conf import settings
from django.db import models
from jobs.models import Job, Shot


class Delivery(models.Model):
    """Finished frames of a shot, with the fixes as they stood when it was asked for.

    ``pieces``: what is written (``hushcore.deliver.pieces.Piece`` as data); ``words``: what stands for their names' tokens;
    ``checked``: when it was last read back and what was found.
    """

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
    look = models.JSONField(default=dict)
    pieces = models.JSONField(default=list)
    words = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    priority = models.IntegerField(default=0)
    with_look = models.BooleanField(default=False)
    stop_asked = models.BooleanField(default=False)
    problem = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)
    begun = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True)
    checked = models.JSONField(null=True)
    totals = models.JSONField(null=True, help_text="Of a finished one: its proof without the rows of its files.")

    class Meta:
        ordering = ["-id"]

    @property
    def running(self) -> bool:
        return self.state in (self.State.WAITING, self.State.RENDERING)


class DeliveredFrame(models.Model):
    """A frame all of whose files are whole. ``proof``: a ``hushcore.deliver.proof.FrameProof`` for each of them; ``state``: a
    name for what made its pixels; ``worker`` and ``seconds``: who wrote it, in what time."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="frames")
    frame = models.IntegerField()
    proof = models.JSONField()
    state = models.CharField(max_length=32, blank=True, db_index=True)
    worker = models.CharField(max_length=80, blank=True)
    seconds = models.FloatField(default=0.0)
    made = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["delivery", "frame"], name="one_proof_a_frame")]
        ordering = ["frame"]


class Report(models.Model):
    """A shot's report and contact sheet, as they were asked for last; the files lie under the reports' root."""

    shot = models.OneToOneField(Shot, models.CASCADE, related_name="report")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    asked = models.DateTimeField(auto_now=True)
    made = models.DateTimeField(null=True)
    problem = models.TextField(blank=True)


class Preset(models.Model):
    """What a job delivers each time, under a name."""

    job = models.ForeignKey(Job, models.CASCADE, related_name="presets")
    name = models.CharField(max_length=80)
    pieces = models.JSONField()
    with_look = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "name"], name="one_preset_a_name")]
        ordering = ["name"]
