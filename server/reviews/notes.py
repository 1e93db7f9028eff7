"""Notes, answers, sending to review, approving and returning."""

import math
from typing import Any

from accounts.log import note as logged
from django.db import transaction
from django.utils import timezone
from events.tell import tell
from fixes.change import person
from jobs.models import Shot
from procrastinate.contrib.django import app

from hushcore.errors import HushError
from reviews.models import Answer, Note, Verdict, Version
from reviews.versions import name_state

CHUNK = 16  # frames a job
MOST_LINES, MOST_POINTS, MOST_WORDS = 60, 4000, 4000
Lines = list[list[tuple[float, float]]]


def _words(words: str) -> str:
    words = words.strip()
    if not words:
        raise HushError("Write what you see first.", "no-words")
    return words[:MOST_WORDS]


def _told(shot: Shot) -> None:
    tell("notes", shot=shot.id, job=shot.job_id)


@transaction.atomic
def pin(
    shot: Shot, frame: int, words: str, by: Any, spot: tuple[float, float] | None = None, lines: Lines | None = None,
    version: Version | None = None,
) -> Note:  # fmt: skip
    """A note on a frame. Raises HushError for a frame or a place that is not in the shot, or for no words."""
    if not shot.first <= frame <= shot.last:
        raise HushError(f"Frame {frame} is not in this shot ({shot.first} to {shot.last}).", "no-frame")
    lines = lines or []
    if len(lines) > MOST_LINES or sum(map(len, lines)) > MOST_POINTS:
        raise HushError("That is too much drawing for one note; make it two.", "too-large")
    width, height = shot.clip.width, shot.clip.height
    for x, y in [*([spot] if spot else []), *(point for line in lines for point in line)]:
        if not (math.isfinite(x) and math.isfinite(y) and -1 <= x <= width and -1 <= y <= height):
            raise HushError("That place lies outside the picture.", "no-frame")
    made = Note.objects.create(
        shot=shot, frame=frame, words=_words(words), by=person(by), x=spot[0] if spot else None,
        y=spot[1] if spot else None, lines=[[[round(x, 1), round(y, 1)] for x, y in line] for line in lines if line],
        version=version,
    )  # fmt: skip
    logged(by, "pinned a note", f"{shot.name} {frame}: {made.words}", shot.job_id, shot.id)
    _told(shot)
    return made


@transaction.atomic
def answer(note: Note, words: str, by: Any) -> Answer:
    """Answer a note."""
    made = Answer.objects.create(note=note, words=_words(words), by=person(by))
    _told(note.shot)
    return made


@transaction.atomic
def tick(note: Note, done: bool, by: Any) -> Note:
    """Tick a note off, or open it again."""
    note.done, note.done_by = (timezone.now(), person(by)) if done else (None, None)
    note.save(update_fields=["done", "done_by"])
    logged(
        by,
        "ticked a note" if done else "opened a note",
        f"{note.shot.name} {note.frame}",
        note.shot.job_id,
        note.shot_id,
    )
    _told(note.shot)
    return note


@transaction.atomic
def take_back(note: Note, by: Any) -> None:
    """Take a note of one's own back. Raises HushError for somebody else's."""
    if note.by_id != by.id and not by.is_staff:
        raise HushError("Only who wrote a note can take it back; tick it off instead.", "forbidden")
    shot = note.shot
    logged(by, "took a note back", f"{shot.name} {note.frame}: {note.words}", shot.job_id, shot.id)
    note.delete()
    _told(shot)


@transaction.atomic
def send(shot: Shot, words: str, by: Any) -> Version:
    """Send a shot to review: how it stands is kept as a version. Raises HushError when there is no fix in it."""
    if not shot.fixes.exists():
        raise HushError("There is nothing to review yet: circle something first.", "incomplete")
    made = name_state(shot, words.strip() or f"To review {shot.versions.filter(sent=True).count() + 1}", by, sent=True)
    _status(shot, Shot.Status.TO_REVIEW)
    for start in range(shot.first, shot.last + 1, CHUNK):
        task = app.configure_task("show_version", priority=-2)
        task.defer(version=made.id, first=start, last=min(start + CHUNK - 1, shot.last))
    logged(by, "sent to review", f"{shot.name}: {made.name}", shot.job_id, shot.id)
    return made


@transaction.atomic
def judge(version: Version, approved: bool, words: str, by: Any) -> Verdict:
    """Approve a version, or return it with words. Raises HushError for a return that does not say why."""
    shot = version.shot
    if not approved and not words.strip() and not shot.notes.filter(done=None).exists():
        raise HushError("Say what is to be done: write a few words, or pin a note to a frame.", "no-words")
    made = Verdict.objects.create(
        shot=shot, version=version, approved=approved, words=words.strip()[:MOST_WORDS], by=person(by)
    )
    newest = shot.versions.filter(sent=True).first()
    if newest is None or newest.id == version.id:  # what was sent meanwhile waits to be looked at
        _status(shot, Shot.Status.APPROVED if approved else Shot.Status.IN_HAND)
    about = f"{shot.name}: {version.name}" + (f" ({made.words})" if made.words else "")
    logged(by, "approved" if approved else "returned", about, shot.job_id, shot.id)
    _told(shot)
    return made


def _status(shot: Shot, status: str) -> None:
    Shot.objects.filter(id=shot.id).update(status=status)
    tell("shot", shot=shot.id, job=shot.job_id)
