"""How a surface moves through a shot: measurements, frame by frame, and how far each has got."""

import numpy as np
from django.db import models
from fixes.models import Fix

from hushcore.geometry.spline import Grid
from hushcore.hold.record import Hold as EngineHold
from hushcore.hold.record import HoldFrame as EngineFrame
from hushcore.hold.record import frame_of


class Hold(models.Model):
    """A measurement of how the surface moves, and how far it has got.

    A correction makes a new hold that measures only what it changes: on all other frames it reads the holds that it
    was made from (``line``, oldest first, itself last), so that undo is only choosing an earlier one.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        TRACKING = "tracking"
        STOPPED = "stopped"
        DONE = "done"
        FAILED = "failed"

    class Work(models.TextChoices):
        TRACK = "track"
        REDO = "redo"
        SECOND = "second"
        SMOOTH = "smooth"
        NONE = "none"

    fix = models.ForeignKey(Fix, models.CASCADE, related_name="holds")
    kind = models.CharField(max_length=12)
    method = models.JSONField(default=dict, help_text="MethodData")
    anchor = models.IntegerField()
    first = models.IntegerField()
    last = models.IntegerField()
    ground = models.JSONField(help_text="GroundData")
    grid = models.JSONField(null=True)
    corner = models.JSONField(default=list)
    line = models.JSONField(default=list, help_text="Ids of the holds that it reads, oldest first.")
    keys = models.JSONField(default=dict, help_text="Frame to {params, pins}.")
    work = models.CharField(max_length=8, choices=Work.choices, default=Work.TRACK)
    todo = models.JSONField(default=dict, help_text="What rework is to do: stretches, or a range and a strength.")
    wanted = models.PositiveIntegerField(
        default=0, help_text="Steps of its work: frames, those seen from two sides twice."
    )
    passed = models.PositiveIntegerField(default=0, help_text="Frames that a first side has measured.")
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    stop_asked = models.BooleanField(default=False)
    settling = models.BooleanField(default=False, help_text="It is measured, and looked at once more where it is weak.")
    trying = models.CharField(max_length=12, blank=True, help_text="The surface that is tried, before one is chosen.")
    trying_way = models.SmallIntegerField(null=True, help_text="The direction that tries them; the other waits.")
    problem = models.TextField(blank=True)
    made = models.DateTimeField(auto_now_add=True)

    @property
    def running(self) -> bool:
        return self.state in (self.State.WAITING, self.State.TRACKING)

    @property
    def known(self) -> models.QuerySet["HoldFrame"]:
        """Its frames, each as last measured in its line; those thrown away are among them, marked ``gone``."""
        rows = HoldFrame.objects.filter(hold__in=[*self.line, self.id])
        return rows.order_by("frame", "-hold").distinct("frame")

    def on(self, frames: list[int]) -> list["HoldFrame"]:
        """The frames among ``frames`` that are held, in full."""
        return [row for row in self.known.filter(frame__in=frames) if not row.gone]

    def engine(self, frames: bool = True) -> EngineHold:
        """The engine's hold with what is measured so far."""
        clip = self.fix.shot.clip
        grid = Grid(**self.grid) if self.grid else None
        corner = tuple(self.corner) if self.corner else (0, 0)
        hold = EngineHold(self.kind, self.anchor, (clip.width, clip.height), grid, corner)  # type: ignore[arg-type]
        hold.keys = {int(frame): np.asarray(key["params"], float) for frame, key in self.keys.items()}
        if frames:
            for row in self.known:
                if not row.gone:
                    hold.frames[row.frame] = row.engine()
        return hold


class HoldFrame(models.Model):
    """One measured frame, as the engine's plain data, with what the ribbons and the report show."""

    hold = models.ForeignKey(Hold, models.CASCADE, related_name="frames")
    frame = models.IntegerField()
    data = models.JSONField(null=True)
    gone = models.BooleanField(default=False, help_text="Thrown away: what an older hold of the line knew is masked.")
    drift_rms = models.FloatField(default=0.0)
    seen = models.FloatField(default=0.0)
    lost = models.BooleanField(default=False)
    trouble = models.CharField(max_length=8, blank=True)
    how = models.CharField(max_length=8, blank=True, help_text="How its place was found: a key of hushcore's HOW.")
    hidden = models.FloatField(default=0.0)
    off = models.FloatField(default=0.0)
    place = models.JSONField(null=True)
    worth = models.FloatField(default=0.0, help_text="How good a plate this frame would make; higher is better.")
    clarity = models.JSONField(null=True, help_text="What its worth is made of: detail, uneven, facing, light.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["hold", "frame"], name="one_measure_a_frame")]
        ordering = ["frame"]

    def engine(self) -> EngineFrame:
        assert self.data is not None
        return frame_of(self.data)


class Run(models.Model):
    """How far one direction of a hold has got: the tracker's state after its last frame (an .npz).

    It begins at ``origin`` (none: the anchor), ends at ``until`` (none: the hold's range), and takes its template
    anew from where it begins when ``renew`` says so.
    """

    hold = models.ForeignKey(Hold, models.CASCADE, related_name="runs")
    direction = models.SmallIntegerField()
    next_frame = models.IntegerField()
    origin = models.IntegerField(null=True)
    until = models.IntegerField(null=True)
    renew = models.BooleanField(default=False)
    state = models.BinaryField(null=True)
    done = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["hold", "direction"], name="one_run_a_direction")]

    @property
    def over(self) -> bool:
        """Whether there is nothing left to measure."""
        if self.done or not self.hold.first <= self.next_frame <= self.hold.last:
            return True
        return self.until is not None and (self.next_frame - self.until) * self.direction > 0
