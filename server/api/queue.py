"""What is worked on and what waits, over HTTP."""

from deliveries import queued
from django.http import HttpRequest
from jobs import members
from jobs.models import Shot
from ninja import Router, Schema

router = Router(tags=["queue"])


class QueueRowOut(Schema):
    """Work of one kind for one thing; ``since``: seconds that it has taken so far."""

    task: str
    words: str
    shot: int | None
    name: str
    waiting: int
    running: int
    priority: int
    since: float
    delivery: int | None
    hold: int | None


class QueueOut(Schema):
    """The queue, and how many workers serve it."""

    workers: int
    rows: list[QueueRowOut]


@router.get("queue", response=QueueOut)
def queue(request: HttpRequest) -> QueueOut:
    """What is worked on and what waits."""
    mine = set(Shot.objects.filter(job__in=members.jobs_of(request.user, "work")).values_list("id", flat=True))
    rows = [
        QueueRowOut(**{name: value for name, value in vars(row).items() if name != "fix"})
        for row in queued.rows()
        if row.shot in mine or (row.shot is None and request.user.is_staff)
    ]
    return QueueOut(workers=queued.workers(), rows=rows)
