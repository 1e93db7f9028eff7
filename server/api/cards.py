"""The list of jobs: each shot in short, and what a job takes on the disk."""

from django.conf import settings
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from fixes.models import Fix
from jobs import actions, pictures
from jobs.models import Job
from ninja import Router, Schema
from plates.root import plates_root
from tells.cards import card

from api.job_schemas import JobStorageOut

router = Router(tags=["jobs"])


class FixCardOut(Schema):
    """A fix in short; ``loud`` and ``frame``: its loudest tell and where."""

    name: str
    on: bool
    lacks: str
    state: str
    loud: float | None
    frame: int | None


class CardOut(Schema):
    """A shot in short."""

    shot: int
    poster: int
    marks: list[list[list[float]]]
    ribbon: list[float | None]
    fixes: list[FixCardOut]


@router.get("jobs/{job}/cards", response=list[CardOut])
def cards(request: HttpRequest, job: int) -> list[CardOut]:
    """Every shot of a job in short."""
    found = get_object_or_404(Job, id=job)
    return [CardOut(**card(shot)) for shot in found.shots.select_related("clip")]


@router.get("jobs/{job}/storage", response=JobStorageOut)
def job_storage(request: HttpRequest, job: int) -> JobStorageOut:
    """What a job takes on the disk beside its footage."""
    found = get_object_or_404(Job, id=job)
    shots = list(found.shots.values_list("id", flat=True))
    fixes = Fix.every.filter(shot__in=shots).values_list("id", flat=True)
    folders = found.shots.filter(deliveries__isnull=False).values_list("deliveries__folder", flat=True).distinct()
    return JobStorageOut(
        proxies=sum(actions.disk_use(pictures.proxy_folder(shot))[1] for shot in shots),
        plates=sum(actions.disk_use(plates_root() / str(fix))[1] for fix in fixes),
        deliveries=sum(actions.disk_use(settings.DELIVERIES / folder)[1] for folder in folders if folder),
    )
