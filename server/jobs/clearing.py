"""Putting jobs and shots away, and deleting them. Footage itself is never touched."""

from typing import Any

from django.db import transaction
from events.tell import tell

from hushcore.errors import HushError
from jobs.actions import clear_proxies
from jobs.models import Job, Shot
from jobs.signals import shot_goes

NAMED = ("name", "client", "note", "put_away")


@transaction.atomic
def correct_job(job: Job, given: dict[str, Any]) -> Job:
    """Rename a job, note something on it, put it away or take it out again."""
    for name in NAMED:
        if given.get(name) is not None:
            setattr(job, name, given[name].strip() if isinstance(given[name], str) else given[name])
    if not job.name:
        raise HushError("Give the job a name.", "no-name")
    job.save()
    tell("jobs", job=job.id)
    return job


@transaction.atomic
def delete_shot(shot: Shot) -> None:
    """Delete a shot with its fixes, plates and proxies; its footage and what was delivered stay on the disk."""
    shot_goes.send(Shot, shot=shot)
    job, clip, number = shot.job_id, shot.clip, shot.id
    shot.delete()
    if not clip.shot_set.exists():
        clip.delete()
    transaction.on_commit(lambda: clear_proxies(number))
    tell("jobs", job=job)


@transaction.atomic
def delete_job(job: Job) -> None:
    """Delete a job with all its shots; see ``delete_shot``."""
    for shot in job.shots.select_related("clip"):
        delete_shot(shot)
    number = job.id
    job.delete()
    tell("jobs", job=number)
