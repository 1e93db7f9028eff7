"""Jobs and shots as the screens see them."""

from ninja import Schema


class ClipOut(Schema):
    """What a clip was found to be."""

    name: str
    first: int
    last: int
    missing: list[int]
    width: int
    height: int
    channels: int
    depth: str
    rate_num: int
    rate_den: int


class ShotOut(Schema):
    """A shot."""

    id: int
    name: str
    status: str
    status_words: str
    note: str
    job: int
    job_name: str
    clip: ClipOut


class JobOut(Schema):
    """A job with its shots."""

    id: int
    name: str
    client: str
    shots: list[ShotOut]


class JobIn(Schema):
    """A new job."""

    name: str
    client: str = ""


class BringIn(Schema):
    """Footage for a new shot; ``place`` is a folder or pattern under the footage root."""

    name: str = ""
    place: str
    rate_num: int = 24
    rate_den: int = 1


class PlaceOut(Schema):
    """A sequence found under the footage root."""

    place: str
    frames: int
    first: int
    last: int
    missing: list[int]
    problem: str
