"""The queue in words: what is worked on, for which shot, and what waits."""

from dataclasses import dataclass
from typing import Any

from django.db.models import Max
from django.utils import timezone
from fixes.models import Fix
from holds.models import Hold
from jobs.models import Shot
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker

from deliveries.models import Delivery

WORDS = {
    "deliver": "Delivering", "check_delivery": "Reading a delivery back", "track": "Tracking", "rework": "Reworking a hold",
    "settle": "Settling a hold", "first_look": "Looking at the shot", "tells": "Measuring tells", "proxies": "Making proxies",
    "show_version": "Making pictures for review",
    "report": "Making a report and a contact sheet",
}  # fmt: skip
NAMED = ("shot", "delivery", "hold", "fix")  # what a job's arguments say it is for
ASIDE = ("take_up_stalled", "tidy_proxies", "clear_gone")  # the house's own, of no interest


@dataclass
class Row:
    """Work of one kind for one thing. ``since``: seconds that the oldest of it has been worked on."""

    task: str
    words: str
    shot: int | None = None
    name: str = ""
    waiting: int = 0
    running: int = 0
    priority: int = 0
    since: float = 0.0
    delivery: int | None = None
    hold: int | None = None
    fix: int | None = None


def rows() -> list[Row]:
    """What is being done and what waits, what is being done first."""
    found: dict[tuple[Any, ...], Row] = {}
    jobs = ProcrastinateJob.objects.filter(status__in=("todo", "doing")).exclude(task_name__in=ASIDE)
    for job in jobs.order_by("-priority", "id")[:5000]:
        key, row = _row(job)
        kept = found.setdefault(key, row)
        kept.waiting += job.status == "todo"
        kept.running += job.status == "doing"
        kept.priority = max(kept.priority, job.priority)
    _name(list(found.values()))
    _since(found)
    return sorted(found.values(), key=lambda row: (-row.running, -row.priority))


def _row(job: Any) -> tuple[tuple[Any, ...], Row]:
    words = WORDS.get(job.task_name, job.task_name.replace("_", " ").capitalize())
    args = {name: value for name, value in (job.args or {}).items() if name in NAMED}
    return (job.task_name, *(args.get(name) for name in NAMED)), Row(job.task_name, words, **args)


def _name(found: list[Row]) -> None:
    """Put the shots and names of what the work is for."""
    holds = {h.id: h for h in Hold.objects.filter(id__in=[r.hold for r in found if r.hold]).select_related("fix")}
    deliveries = Delivery.objects.in_bulk([r.delivery for r in found if r.delivery])
    fixes = Fix.every.in_bulk([r.fix for r in found if r.fix])
    for row in found:
        if row.delivery in deliveries:
            row.shot, row.name = deliveries[row.delivery].shot_id, deliveries[row.delivery].folder
        fix = holds[row.hold].fix if row.hold in holds else fixes.get(row.fix or 0)
        if fix is not None:
            row.shot, row.name = fix.shot_id, fix.document["name"]
    names = dict(Shot.objects.filter(id__in={r.shot for r in found if r.shot}).values_list("id", "name"))
    for row in found:
        shot = names.get(row.shot, "")
        row.name = " · ".join(part for part in (shot, row.name) if part)


def _since(found: dict[tuple[Any, ...], Row]) -> None:
    """How long what is being done has taken so far, since it was last begun; of several the longest."""
    doing = ProcrastinateJob.objects.filter(status="doing")
    begun = doing.filter(procrastinateevent__type="started").annotate(begun=Max("procrastinateevent__at"))
    now = timezone.now()
    for job in begun:
        row = found.get(_row(job)[0])
        if row is not None:
            row.since = max(row.since, (now - job.begun).total_seconds())


def workers() -> int:
    """Workers that have been heard of lately."""
    return int(ProcrastinateWorker.objects.count())
