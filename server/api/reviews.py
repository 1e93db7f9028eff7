"""Versions, notes and verdicts over HTTP."""

from typing import Any

from accounts.log import name_of
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from jobs import members
from jobs.models import Shot
from jobs.viewing import look_name
from ninja import Router, Schema, Status
from pydantic import Field
from reviews import notes, versions
from reviews.models import Note, Verdict, Version
from reviews.pictures import Versioned

from api.answers import answer, asked
from api.fix_asked import Real, Whole

router = Router(tags=["reviews"])


class VersionOut(Schema):
    """A named state of a shot; ``look``: a name for how it is shown, for the addresses of its pictures."""

    id: int
    number: int
    name: str
    by: str
    made: str
    sent: bool
    fixes: list[str]
    look: str


class AnswerOut(Schema):
    """An answer to a note."""

    id: int
    words: str
    by: str
    made: str


class NoteOut(Schema):
    """A note pinned to a frame and, if ``x`` is there, to a spot, with lines drawn on the frame."""

    id: int
    shot: int
    version: int | None
    frame: int
    x: float | None
    y: float | None
    lines: list[list[tuple[float, float]]]
    words: str
    by: str
    mine: bool
    made: str
    done: bool
    done_by: str
    answers: list[AnswerOut]


class VerdictOut(Schema):
    """What was said of a version."""

    version: int
    approved: bool
    words: str
    by: str
    made: str


class ReviewOut(Schema):
    """All that is said of a shot."""

    shot: int
    role: str
    versions: list[VersionOut]
    notes: list[NoteOut]
    verdicts: list[VerdictOut]


class WaitingOut(Schema):
    """A shot in a list of what to look at."""

    shot: int
    shot_name: str
    job: int
    job_name: str
    role: str
    status: str
    status_words: str
    open_notes: int
    poster: int
    look: str
    sent: str


class NameIn(Schema):
    """A version's name."""

    name: str = Field(default="", max_length=120)


class NoteIn(Schema):
    """A new note."""

    frame: Whole
    words: str = Field(max_length=4000)
    spot: tuple[Real, Real] | None = None
    lines: list[list[tuple[Real, Real]]] = Field(default=[], max_length=100)
    version: Whole | None = None


class WordsIn(Schema):
    """Words."""

    words: str = Field(max_length=4000)


class TickIn(Schema):
    """Ticked off, or open again."""

    done: bool


class VerdictIn(Schema):
    """Approved, or returned with words."""

    approved: bool
    words: str = Field(default="", max_length=4000)


def version_out(row: Version) -> VersionOut:
    """A version as the screens see it."""
    return VersionOut(
        id=row.id, number=row.number, name=row.name, by=name_of(row.by), made=row.made.isoformat(), sent=row.sent,
        fixes=[entry["document"]["name"] for entry in row.entries], look=_look_of(row),
    )  # fmt: skip


def _look_of(version: Version) -> str:
    shot = Shot(clip=version.shot.clip, look=version.look)
    return look_name(shot)


def note_out(row: Note, person: Any) -> NoteOut:
    """A note as the screens see it."""
    return NoteOut(
        id=row.id, shot=row.shot_id, version=row.version_id, frame=row.frame, x=row.x, y=row.y, lines=row.lines,
        words=row.words, by=name_of(row.by), mine=row.by_id == person.id, made=row.made.isoformat(),
        done=row.done is not None, done_by=name_of(row.done_by),
        answers=[
            AnswerOut(id=a.id, words=a.words, by=name_of(a.by), made=a.made.isoformat()) for a in row.answers.all()
        ],
    )  # fmt: skip


def _shot(shot: int) -> Shot:
    found: Shot = get_object_or_404(Shot.objects.select_related("clip", "job"), id=shot)
    return found


def review_out(shot: Shot, person: Any) -> ReviewOut:
    """A shot's review as one sees it."""
    rows = Verdict.objects.filter(shot=shot).select_related("by")
    return ReviewOut(
        shot=shot.id, role=members.role_in(person, shot.job_id) or "",
        versions=[version_out(row) for row in shot.versions.select_related("by", "shot__clip")],
        notes=list_of_notes(shot, person),
        verdicts=[
            VerdictOut(
                version=row.version_id, approved=row.approved, words=row.words, by=name_of(row.by),
                made=row.made.isoformat(),
            )
            for row in rows
        ],
    )  # fmt: skip


def list_of_notes(shot: Shot, person: Any) -> list[NoteOut]:
    """A shot's notes, in the order of its frames."""
    rows = shot.notes.select_related("by", "done_by").prefetch_related("answers__by")
    return [note_out(row, person) for row in rows]


@router.get("reviews", response=list[WaitingOut])
def waiting(request: HttpRequest) -> list[WaitingOut]:
    """The shots that one may look at; those that wait for review first."""
    found = Shot.objects.filter(job__in=members.jobs_of(request.user), put_away=False, job__put_away=False)
    rows = []
    for shot in found.select_related("clip", "job"):
        sent = shot.versions.filter(sent=True).first()
        rows.append(WaitingOut(
            shot=shot.id, shot_name=shot.name, job=shot.job_id, job_name=shot.job.name,
            role=members.role_in(request.user, shot.job_id) or "", status=shot.status,
            status_words=shot.get_status_display(), open_notes=shot.notes.filter(done=None).count(),
            poster=(shot.first + shot.last) // 2, look=look_name(shot), sent=sent.name if sent else "",
        ))  # fmt: skip
    return sorted(rows, key=lambda row: (row.status != "to-review", row.job_name, row.shot_name))


@router.get("shots/{shot}/review", response=ReviewOut)
def review(request: HttpRequest, shot: int) -> ReviewOut:
    """A shot's versions, notes and verdicts."""
    return review_out(_shot(shot), request.user)


@router.post("shots/{shot}/versions", response={201: VersionOut})
def name_version(request: HttpRequest, shot: int, payload: NameIn) -> Status:
    """Keep how the shot stands under a name."""
    return Status(201, version_out(versions.name_state(_shot(shot), payload.name, request.user)))


@router.post("versions/{version}/go-back", response=ReviewOut)
def go_back(request: HttpRequest, version: int) -> ReviewOut:
    """Bring the shot back to how it stood."""
    found = get_object_or_404(Version, id=version)
    versions.go_back(found, request.user)
    return review_out(_shot(found.shot_id), request.user)


@router.post("shots/{shot}/send", response={201: VersionOut})
def send(request: HttpRequest, shot: int, payload: NameIn) -> Status:
    """Send the shot to review as it stands."""
    return Status(201, version_out(notes.send(_shot(shot), payload.name, request.user)))


@router.post("versions/{version}/verdict", response={201: ReviewOut})
def verdict(request: HttpRequest, version: int, payload: VerdictIn) -> Status:
    """Approve a version, or return it."""
    found = get_object_or_404(Version.objects.select_related("shot__clip", "shot__job"), id=version)
    notes.judge(found, payload.approved, payload.words, request.user)
    return Status(201, review_out(found.shot, request.user))


@router.get("shots/{shot}/notes", response=list[NoteOut])
def list_notes(request: HttpRequest, shot: int) -> list[NoteOut]:
    """A shot's notes."""
    return list_of_notes(_shot(shot), request.user)


@router.post("shots/{shot}/notes", response={201: NoteOut})
def pin(request: HttpRequest, shot: int, payload: NoteIn) -> Status:
    """Pin a note to a frame."""
    found = _shot(shot)
    version = None
    if payload.version is not None:
        version = get_object_or_404(Version, id=payload.version, shot=found)
    made = notes.pin(found, payload.frame, payload.words, request.user, payload.spot, payload.lines, version)
    return Status(201, note_out(made, request.user))


@router.post("notes/{note}/answers", response={201: NoteOut})
def reply(request: HttpRequest, note: int, payload: WordsIn) -> Status:
    """Answer a note."""
    found = get_object_or_404(Note.objects.select_related("shot"), id=note)
    notes.answer(found, payload.words, request.user)
    return Status(201, note_out(found, request.user))


@router.patch("notes/{note}", response=NoteOut)
def tick(request: HttpRequest, note: int, payload: TickIn) -> NoteOut:
    """Tick a note off, or open it again."""
    found = get_object_or_404(Note.objects.select_related("shot"), id=note)
    return note_out(notes.tick(found, payload.done, request.user), request.user)


@router.delete("notes/{note}", response={204: None})
def take_back(request: HttpRequest, note: int) -> Status:
    """Take a note of one's own back."""
    notes.take_back(get_object_or_404(Note.objects.select_related("shot"), id=note), request.user)
    return Status(204, None)


def version_picture(request: HttpRequest, version: int, frame: int) -> HttpResponse:
    """A frame of a version, as it is looked at with the look of then."""
    found = get_object_or_404(Version.objects.select_related("shot__clip", "shot__job"), id=version)
    data = Versioned(found).picture(frame, asked(request))
    return answer(data, "jpg", keep="v" in request.GET)
