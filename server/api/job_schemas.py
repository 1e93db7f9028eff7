"""Jobs and shots as the screens see them."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from api.shapes import as_schema
from hushcore.media.scan import Found


class ClipOut(Schema):
    """What a clip was found to be, and was corrected to. ``first`` and ``last`` are what is worked on; the clip itself
    goes from ``clip_first`` to ``clip_last``."""

    kind: str
    name: str
    first: int
    last: int
    clip_first: int
    clip_last: int
    missing: list[int]
    odd: dict[str, str]
    doubles: list[int]
    width: int
    height: int
    channels: int
    depth: str
    bits: int
    codec: str
    lossy: bool
    space: str
    space_words: str
    found_space: str
    rate_num: int
    rate_den: int
    found_rate: str
    timecode: str
    pixel_aspect: float


class CdlData(Schema):
    """An ASC CDL."""

    slope: list[float] = Field([1, 1, 1], min_length=3, max_length=3)
    offset: list[float] = Field([0, 0, 0], min_length=3, max_length=3)
    power: list[float] = Field([1, 1, 1], min_length=3, max_length=3)
    saturation: float = 1


class LookData(Schema):
    """How a shot is shown; never how it is delivered. ``lut``: the name of a brought-in LUT."""

    display: str = ""
    view: str = ""
    exposure: float = 0
    gamma: float = 1
    cdl: CdlData | None = None
    lut: str = ""


class ShotOut(Schema):
    """A shot."""

    id: int
    name: str
    status: str
    status_words: str
    note: str
    job: int
    job_name: str
    cut_in: int | None
    cut_out: int | None
    handles: int
    look: LookData
    look_name: str
    put_away: bool
    undo: str
    undo_at: float
    redo: str
    redo_at: float
    clip: ClipOut


class JobOut(Schema):
    """A job with its shots."""

    id: int
    name: str
    client: str
    note: str
    put_away: bool
    role: str
    shots: list[ShotOut]


class JobIn(Schema):
    """A new job."""

    name: str
    client: str = ""


class JobChange(Schema):
    """What changes of a job; what is not given stays."""

    name: str | None = None
    client: str | None = None
    note: str | None = None
    put_away: bool | None = None


class JobStorageOut(Schema):
    """What a job takes on the disk beside its footage, in bytes."""

    proxies: int
    plates: int
    deliveries: int


class BringIn(Schema):
    """Footage for a new shot; ``place`` is a movie, a folder or a pattern under the footage root. What is not given stays
    as it was found."""

    name: str = ""
    place: str
    note: str = ""
    rate_num: int | None = None
    rate_den: int = 1
    first: int | None = None
    space: str | None = None
    cut_in: int | None = None
    cut_out: int | None = None
    handles: int | None = Field(default=None, ge=0, le=10_000)
    timecode: str | None = None
    pixel_aspect: float | None = None


class ShotIn(Schema):
    """Corrections to a shot; what is not given stays."""

    name: str | None = None
    note: str | None = None
    status: str | None = None
    rate_num: int | None = None
    rate_den: int | None = None
    space: str | None = None
    cut_in: int | None = None
    cut_out: int | None = None
    handles: int | None = Field(default=None, ge=0, le=10_000)
    timecode: str | None = None
    pixel_aspect: float | None = None
    look: LookData | None = None
    put_away: bool | None = None


FoundOut = as_schema(
    "FoundOut",
    Found,
    "Footage found in a folder; what only opening it tells is empty until it is examined.",
    without={"header", "problem"},
    kind=(Literal["sequence", "movie"], ...),
    odd=(dict[str, str], {}),
    even=(bool, True),
)


class FolderOut(Schema):
    """A folder of the footage storage. ``above``: the folder over it, None at the root."""

    place: str
    above: str | None
    folders: list[str]
    found: list[FoundOut]


class EncodingOut(Schema):
    """An encoding that footage can be in."""

    space: str
    words: str
    display: bool


class DisplayOut(Schema):
    """A display and its views."""

    name: str
    views: list[str]


class ColourOut(Schema):
    """What footage can be in and what it can be shown through."""

    encodings: list[EncodingOut]
    displays: list[DisplayOut]
    luts: list[str]


class ValuesOut(Schema):
    """A pixel: its codes, its scene-linear light, and what the display shows of it (0..1)."""

    x: int
    y: int
    codes: list[float]
    linear: list[float]
    shown: list[float]


class HereIn(Schema):
    """Somebody's window on a shot, and the fix that is worked on in it."""

    window: str = Field(max_length=40, pattern=r"^[a-z0-9-]+$")
    fix: Annotated[int, Field(ge=0, le=2**62)] | None = None


class ProxyOut(Schema):
    """What a shot's pictures for the screen take."""

    frames: int
    of: int
    files: int
    bytes: int


class CutOut(Schema):
    """A shot of an edit and the footage found for it."""

    name: str
    source: str
    first: int
    last: int
    rate: str
    place: str
    cut_in: int | None
    cut_out: int | None
    problem: str


class ConformIn(Schema):
    """Shots to make from an edit."""

    cuts: list[CutOut]
    handles: int = Field(default=8, ge=0, le=10_000)
