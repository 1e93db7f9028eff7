"""Jobs, their shots, and the clips behind them."""

import uuid
from fractions import Fraction
from pathlib import Path

from django.conf import settings
from django.db import models

from hushcore.colour.encoding import Encoding
from hushcore.errors import HushError
from hushcore.media.clips import Clip as MediaClip
from hushcore.media.footage import Footage
from hushcore.media.movies import Movie
from hushcore.media.scan import header_of


class Job(models.Model):
    """A commission."""

    name = models.CharField(max_length=120)
    client = models.CharField(max_length=120, blank=True)
    note = models.TextField(blank=True)
    put_away = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created"]


class Clip(models.Model):
    """The media behind a shot: where it is (relative to the footage root), what it was found to be, and what the artist
    corrected. ``missing`` counts frames that cannot be used, too; ``odd`` says why."""

    kind = models.CharField(max_length=12, default="sequence")
    folder = models.CharField(max_length=500)
    stem = models.CharField(max_length=200, blank=True)
    digits = models.PositiveSmallIntegerField()
    suffix = models.CharField(max_length=12)
    first = models.IntegerField()
    last = models.IntegerField()
    missing = models.JSONField(default=list)
    odd = models.JSONField(default=dict)
    doubles = models.JSONField(default=list)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    channels = models.PositiveSmallIntegerField()
    depth = models.CharField(max_length=12)
    bits = models.PositiveSmallIntegerField(default=16)
    codec = models.CharField(max_length=60, blank=True)
    lossy = models.BooleanField(default=False)
    header = models.JSONField(null=True)
    space = models.CharField(max_length=120, default="srgb")
    found_space = models.CharField(max_length=120, default="srgb")
    rate_num = models.PositiveIntegerField(default=24)
    rate_den = models.PositiveIntegerField(default=1)
    found_rate = models.CharField(max_length=24, blank=True)
    timecode = models.CharField(max_length=16, blank=True)
    pixel_aspect = models.FloatField(default=1.0)
    stamps = models.JSONField(default=dict, help_text="Size and time of each file when it was brought in, by frame.")

    @property
    def rate(self) -> Fraction:
        """Frames a second."""
        return Fraction(self.rate_num, self.rate_den)

    @property
    def real_bits(self) -> int:
        """Bits of the file's own samples; a movie's pictures are worked on over 16."""
        return int(self.header["bits"]) if self.header else self.bits

    @property
    def encoding(self) -> Encoding:
        """What its code values mean."""
        return Encoding(self.space, self.bits, settings.OCIO)

    def media(self) -> Footage:
        """The engine's clip."""
        folder = inside_root(settings.MEDIA_FOOTAGE, self.folder)
        if self.kind == "movie":
            assert self.header is not None
            return Movie(folder / f"{self.stem}{self.suffix}", header_of(self.header), self.first, self.rate)
        gone = set(self.missing)
        frames = tuple(n for n in range(self.first, self.last + 1) if n not in gone)
        return MediaClip(
            folder,
            self.stem,
            self.digits,
            self.suffix,
            frames,
            self.width,
            self.height,
            self.channels,
            self.depth,
            self.bits,
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
    cut_in = models.IntegerField(null=True)
    cut_out = models.IntegerField(null=True)
    handles = models.PositiveIntegerField(default=0)
    look = models.JSONField(default=dict)
    put_away = models.BooleanField(default=False)

    @property
    def first(self) -> int:
        """The first frame that is worked on: the cut's, less the handles that there are."""
        return self.clip.first if self.cut_in is None else max(self.clip.first, self.cut_in - self.handles)

    @property
    def last(self) -> int:
        """The last frame that is worked on."""
        return self.clip.last if self.cut_out is None else min(self.clip.last, self.cut_out + self.handles)

    class Meta:
        ordering = ["order", "id"]


class Step(models.Model):
    """A change of a shot that can be undone: ``before`` and ``after`` as data of its kind; see ``jobs.history``."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="steps")
    kind = models.CharField(max_length=12)
    label = models.CharField(max_length=80)
    before = models.JSONField()
    after = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    made = models.DateTimeField(auto_now_add=True)
    undone = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]


class Upload(models.Model):
    """A file on its way in. ``received`` bytes are on the disk beside its place; whole files move there."""

    key = models.UUIDField(default=uuid.uuid4, unique=True)
    place = models.CharField(max_length=500)
    size = models.BigIntegerField()
    received = models.BigIntegerField(default=0)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    made = models.DateTimeField(auto_now_add=True)


def inside_root(root: Path, relative: str) -> Path:
    """A place under a storage root. Raises HushError for one that leaves it."""
    if "\x00" in relative:
        raise HushError("A folder's name cannot hold that character.", "outside-root")
    place = (root / relative).resolve()
    if not place.is_relative_to(root.resolve()):
        raise HushError(f"{relative} lies outside the storage root; choose a folder inside it.", "outside-root")
    return place


class Member(models.Model):
    """What a person is in a job. A reviewer looks and judges; an artist works; a supervisor does both, and runs the job."""

    class Role(models.TextChoices):
        REVIEWER = "reviewer"
        ARTIST = "artist"
        SUPERVISOR = "supervisor"

    job = models.ForeignKey(Job, models.CASCADE, related_name="members")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="roles")
    role = models.CharField(max_length=12, choices=Role.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "person"], name="one_role_a_job")]
        ordering = ["id"]
