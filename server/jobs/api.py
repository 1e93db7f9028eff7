"""Jobs, shots and footage over HTTP."""

from django.conf import settings
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from hushcore.errors import HushError
from jobs import actions
from jobs.models import Job, Shot
from jobs.schemas import BringIn, ClipOut, JobIn, JobOut, PlaceOut, ShotOut

router = Router(tags=["jobs"])


def shot_out(shot: Shot) -> ShotOut:
    """A shot as the screens see it."""
    clip = shot.clip
    return ShotOut(
        id=shot.id, name=shot.name, status=shot.status, status_words=shot.get_status_display(), note=shot.note,
        job=shot.job_id, job_name=shot.job.name,
        clip=ClipOut(
            name=clip.media().name, first=clip.first, last=clip.last, missing=clip.missing, width=clip.width,
            height=clip.height, channels=clip.channels, depth=clip.depth,
            rate_num=clip.rate_num, rate_den=clip.rate_den,
        ),
    )  # fmt: skip


def job_out(job: Job) -> JobOut:
    """A job as the screens see it."""
    return JobOut(
        id=job.id, name=job.name, client=job.client,
        shots=[shot_out(shot) for shot in job.shots.select_related("clip", "job")],
    )  # fmt: skip


@router.get("jobs", response=list[JobOut])
def list_jobs(request: HttpRequest) -> list[JobOut]:
    """All jobs with their shots."""
    return [job_out(job) for job in Job.objects.prefetch_related("shots__clip")]


@router.post("jobs", response={201: JobOut})
def make_job(request: HttpRequest, payload: JobIn) -> Status:
    """A new job."""
    if not payload.name.strip():
        raise HushError("Give the job a name.", "no-name")
    return Status(201, job_out(Job.objects.create(name=payload.name.strip(), client=payload.client.strip())))


@router.get("shots/{shot}", response=ShotOut)
def get_shot(request: HttpRequest, shot: int) -> ShotOut:
    """One shot."""
    return shot_out(get_object_or_404(Shot, id=shot))


@router.post("jobs/{job}/shots", response={201: ShotOut})
def bring_in(request: HttpRequest, job: int, payload: BringIn) -> Status:
    """A new shot from footage under the storage root."""
    made = actions.bring_in(
        get_object_or_404(Job, id=job), payload.name, payload.place, (payload.rate_num, payload.rate_den)
    )
    return Status(201, shot_out(made))


@router.get("footage", response=list[PlaceOut])
def footage(request: HttpRequest) -> list[PlaceOut]:
    """Sequences under the footage root, each with what is wrong with it."""
    from hushcore.media.clips import open_clip

    root = settings.MEDIA_FOOTAGE
    found = []
    for folder in sorted(entry for entry in root.iterdir() if entry.is_dir()) if root.is_dir() else []:
        place = str(folder.relative_to(root))
        try:
            clip = open_clip(folder)
        except HushError as error:
            found.append(PlaceOut(place=place, frames=0, first=0, last=0, missing=[], problem=error.message))
            continue
        found.append(
            PlaceOut(
                place=place, frames=len(clip.frames), first=clip.first, last=clip.last, missing=clip.missing, problem=""
            )
        )
    return found
