"""People, their roles in jobs, their sessions, and the log, over HTTP."""

from accounts import people
from accounts.log import name_of
from accounts.models import LogEntry
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from jobs import members
from jobs.models import Job, Member
from ninja import Router, Schema, Status
from pydantic import Field

from api.fix_asked import Whole

router = Router(tags=["people"])
PAGE = 200


class PersonOut(Schema):
    """A person of the house."""

    id: int
    name: str
    full_name: str
    house: bool
    active: bool
    sessions: int
    jobs: list[str]


class PersonIn(Schema):
    """A new person."""

    name: str = Field(min_length=1, max_length=150)
    full_name: str = Field(default="", max_length=200)
    password: str = Field(max_length=400)
    house: bool = False


class PersonChange(Schema):
    """What is to change of a person."""

    full_name: str | None = Field(default=None, max_length=200)
    password: str | None = Field(default=None, max_length=400)
    house: bool | None = None
    active: bool | None = None


class MemberOut(Schema):
    """What a person is in a job."""

    person: int
    name: str
    role: str


class KnownOut(Schema):
    """Somebody who can be given a role."""

    id: int
    name: str


class RoleIn(Schema):
    """A role, or none."""

    role: str | None = Field(default=None, max_length=12)


class LogOut(Schema):
    """A line of the log."""

    id: int
    at: str
    who: str
    what: str
    about: str
    job: int | None
    shot: int | None


def person_out(person: User, sessions: int) -> PersonOut:
    """A person as the screens see it."""
    roles = person.roles.select_related("job")  # type: ignore[attr-defined]
    return PersonOut(
        id=person.id, name=person.username, full_name=person.get_full_name(), house=person.is_staff, active=person.is_active,
        sessions=sessions, jobs=[f"{role.job.name}: {role.role}" for role in roles],
    )  # fmt: skip


@router.get("people", response=list[PersonOut])
def list_people(request: HttpRequest) -> list[PersonOut]:
    """Everybody."""
    counted = people.sessions_counted()
    return [person_out(person, counted[str(person.id)]) for person in User.objects.order_by("username")]


@router.post("people", response={201: PersonOut})
def add_person(request: HttpRequest, payload: PersonIn) -> Status:
    """A new person, with a first password."""
    made = people.add(payload.name.strip(), payload.full_name, payload.password, payload.house, request.user)
    return Status(201, person_out(made, 0))


@router.patch("people/{person}", response=PersonOut)
def change_person(request: HttpRequest, person: Whole, payload: PersonChange) -> PersonOut:
    """Another name or password, leave to run the house, or an end to all of it."""
    found = people.change(get_object_or_404(User, id=person), payload.dict(exclude_unset=True), request.user)
    return person_out(found, len(people.sessions_of(found)))


@router.delete("people/{person}/sessions", response=PersonOut)
def end_sessions(request: HttpRequest, person: Whole) -> PersonOut:
    """Sign somebody out everywhere."""
    found = get_object_or_404(User, id=person)
    people.end_sessions(found)
    return person_out(found, 0)


@router.get("jobs/{job}/members", response=list[MemberOut])
def list_members(request: HttpRequest, job: int) -> list[MemberOut]:
    """Who is what in a job."""
    return _members(get_object_or_404(Job, id=job))


def _members(job: Job) -> list[MemberOut]:
    rows = Member.objects.filter(job=job).select_related("person")
    return [MemberOut(person=row.person_id, name=name_of(row.person), role=row.role) for row in rows]


@router.get("jobs/{job}/people", response=list[KnownOut])
def list_known(request: HttpRequest, job: int) -> list[KnownOut]:
    """Everybody who can be given a role in a job."""
    return [KnownOut(id=person.id, name=name_of(person)) for person in User.objects.filter(is_active=True)]


@router.put("jobs/{job}/members/{person}", response=list[MemberOut])
def give_role(request: HttpRequest, job: int, person: Whole, payload: RoleIn) -> list[MemberOut]:
    """Give a person a role in a job, another one, or none."""
    found = get_object_or_404(Job, id=job)
    members.give(found, get_object_or_404(User, id=person), payload.role, request.user)
    return _members(found)


@router.get("log", response=list[LogOut])
def log(request: HttpRequest, before: Whole | None = None) -> list[LogOut]:
    """The log, newest first, a page at a time."""
    return _log(LogEntry.objects.all(), before)


@router.get("jobs/{job}/log", response=list[LogOut])
def job_log(request: HttpRequest, job: int, before: Whole | None = None) -> list[LogOut]:
    """A job's part of the log."""
    return _log(LogEntry.objects.filter(job=job), before)


def _log(rows: object, before: int | None) -> list[LogOut]:
    found = rows.filter(id__lt=before) if before is not None else rows  # type: ignore[attr-defined]
    return [
        LogOut(
            id=row.id, at=row.at.isoformat(), who=row.who, what=row.what, about=row.about, job=row.job, shot=row.shot
        )
        for row in found[:PAGE]
    ]
