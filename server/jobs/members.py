"""Who is what in a job, and what that allows."""

from typing import Any

from accounts.log import name_of, note
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import QuerySet
from events.tell import tell

from hushcore.errors import HushError
from jobs.models import Job, Member

REVIEWER, ARTIST, SUPERVISOR = Member.Role.REVIEWER, Member.Role.ARTIST, Member.Role.SUPERVISOR
MAY: dict[str, tuple[str, ...]] = {
    "look": (REVIEWER, ARTIST, SUPERVISOR),
    "judge": (REVIEWER, SUPERVISOR),
    "work": (ARTIST, SUPERVISOR),
    "run": (SUPERVISOR,),
}


def role_in(person: Any, job: int) -> str | None:
    """A person's role in a job; who runs the house is a supervisor in all. None for a stranger."""
    if person.is_staff:
        return SUPERVISOR
    return Member.objects.filter(job=job, person=person).values_list("role", flat=True).first()


def jobs_of(person: Any, right: str = "look") -> QuerySet[Job]:
    """The jobs in which a person may do something."""
    if person.is_staff:
        return Job.objects.all()
    return Job.objects.filter(members__person=person, members__role__in=MAY[right])


def works_anywhere(person: Any) -> bool:
    """Whether someone is an artist or a supervisor in any job, or runs the house."""
    return person.is_staff or Member.objects.filter(person=person, role__in=MAY["work"]).exists()


def best_role(person: Any) -> str:
    """The most that a person may do in any job."""
    roles = set(Member.objects.filter(person=person).values_list("role", flat=True))
    return next((str(role) for role in (SUPERVISOR, ARTIST, REVIEWER) if role in roles), "")


@transaction.atomic
def give(job: Job, person: User, role: str | None, by: Any) -> None:
    """Give a person a role in a job, or take it (None). Raises HushError when nobody would be left to run the job."""
    if role is not None and role not in Member.Role.values:
        raise HushError(f"There is no role {role!r}.", "bad-role")
    runs = job.members.select_for_update().filter(role=SUPERVISOR)
    if role != SUPERVISOR and runs.filter(person=person).exists() and runs.count() == 1:
        raise HushError("Somebody must be left who runs the job; make another person supervisor first.", "last-one")
    if role is None:
        job.members.filter(person=person).delete()
    else:
        Member.objects.update_or_create(job=job, person=person, defaults={"role": role})
    note(by, "gave a role", f"{name_of(person)}: {role or 'none'}", job.id)
    tell("members", job=job.id)
