"""Deliveries and presets as the API has them."""

from typing import Literal

from ninja import Schema
from pydantic import Field

from api.fix_asked import Whole
from hushcore.deliver.forms import FORMS, OWN, SOURCE


class PieceData(Schema):
    """One thing that is written; see ``hushcore.deliver.pieces.Piece``."""

    what: Literal["frames", "mattes", "patch", "preview", "side"] = "frames"
    form: str = Field(default=SOURCE, max_length=24)
    space: str = Field(default=OWN, max_length=120)
    each: bool = True
    straight: bool = True
    mattes: bool = False
    name: str = Field(default="", max_length=160)


class DeliverIn(Schema):
    """The stretch to deliver, and what of it; frames as the source is where nothing is named."""

    first: Whole
    last: Whole
    pieces: list[PieceData] = Field(default=[], max_length=12)
    with_look: bool = False
    folder: str = Field(
        default="", max_length=200, description="Under the deliveries' storage; empty: shot and number."
    )
    priority: int = Field(default=0, ge=-100, le=100)


class PriorityIn(Schema):
    """What waits with a higher figure goes first."""

    priority: int = Field(ge=-100, le=100)


class FormOut(Schema):
    """A form that frames can be written in."""

    key: str
    words: str
    kind: str
    suffix: str
    floats: bool
    alpha: bool
    coded: bool


def forms() -> list[FormOut]:
    """All forms but those of previews."""
    return [
        FormOut(
            key=form.key, words=form.words, kind=form.kind, suffix=form.suffix, floats=form.floats, alpha=form.alpha,
            coded=form.coded,
        )
        for form in FORMS.values()
        if form.key != "h264"
    ]  # fmt: skip


class SaidPieceOut(PieceData):
    """A piece with what it is in words, and what becomes of the values."""

    words: str
    form_words: str
    values: str


class CodedOut(Schema):
    """What is known of pieces that are coded with loss."""

    values: int
    changed_outside: int
    worst: int


class CheckedOut(Schema):
    """When a delivery was read back, and what was found."""

    holds: bool
    words: str
    at: str


class DeliveryOut(Schema):
    """A delivery and its proof so far. ``speed``: frames a second over the last of them; ``left``: seconds to go."""

    id: int
    shot: int
    shot_name: str
    job: int
    job_name: str
    folder: str
    first: int
    last: int
    state: str
    problem: str
    by: str
    made: str
    seconds: float | None
    priority: int
    pieces: list[SaidPieceOut]
    written: int
    total: int
    speed: float
    left: float | None
    workers: list[str]
    bytes: int
    values: int
    changed_inside: int
    changed_outside: int
    coded: CodedOut | None
    checked: CheckedOut | None
    fixes: list[str]


class PresetIn(Schema):
    """What a job delivers each time."""

    name: str = Field(min_length=1, max_length=80)
    pieces: list[PieceData] = Field(min_length=1, max_length=12)
    with_look: bool = False


class PresetOut(PresetIn):
    """A preset."""

    id: int


class ReportOut(Schema):
    """Whether a report was asked for, when it was made, and what was wrong."""

    asked: bool
    made: str
    problem: str
