"""Signing in and out."""

from accounts import people
from accounts.demo import demo_people, demo_person
from accounts.log import name_of, note
from accounts.models import Habit
from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from jobs import members
from ninja import Router, Schema
from pydantic import Field

from hushcore.errors import HushError

router = Router(tags=["session"])
MOST_HABITS = 64
LEFT = "hush_left"
"""The cookie of somebody who signed out. The session cannot keep it: an answer that is still on its way when it ends takes the
session's cookie with it."""


class DemoPersonOut(Schema):
    """Somebody whom the demo can be seen as."""

    name: str
    full_name: str
    role: str


class SessionOut(Schema):
    """Who is signed in; ``house``: runs the house; ``works``: is an artist or supervisor in some job."""

    signed_in: bool
    name: str
    id: int
    demo: bool
    demo_people: list[DemoPersonOut]
    house: bool
    works: bool
    csrf: str
    done: list[str]


class DoneIn(Schema):
    """What was done for the first time."""

    what: str = Field(min_length=1, max_length=24, pattern=r"^[a-z-]+$")


class SignIn(Schema):
    """Name and password."""

    name: str
    password: str


@router.get("session", response=SessionOut, auth=None)
def session(request: HttpRequest) -> SessionOut:
    """Who is signed in. On loopback, with the demo on, a newcomer is signed in to it without typing."""
    if not request.user.is_authenticated and LEFT not in request.COOKIES:
        demo = demo_person(request.META.get("REMOTE_ADDR", ""))
        if demo is not None:
            login(request, demo, backend="django.contrib.auth.backends.ModelBackend")
    return _state(request)


@router.post("session/demo", response=SessionOut, auth=None)
def open_demo(request: HttpRequest, response: HttpResponse, name: str = "") -> SessionOut:
    """Sign in to the demo again as one of its people, on this machine and with the demo on."""
    demo = demo_person(request.META.get("REMOTE_ADDR", ""), name)
    if demo is None:
        raise HushError("The demo is not open here; sign in with a name and a password.", "forbidden")
    login(request, demo, backend="django.contrib.auth.backends.ModelBackend")
    _left(request, response, False)
    return _state(request)


@router.post("session", response=SessionOut, auth=None)
def sign_in(request: HttpRequest, response: HttpResponse, payload: SignIn) -> SessionOut:
    """Sign in with a name and a password."""
    user = authenticate(request, username=payload.name, password=payload.password)
    if user is None:
        raise HushError("Name and password do not fit together; try again.", "bad-sign-in")
    login(request, user)
    note(user, "signed in")
    _left(request, response, False)
    return _state(request)


class PasswordIn(Schema):
    """One's password, and another one."""

    old: str = Field(max_length=400)
    new: str = Field(max_length=400)


class OthersOut(Schema):
    """One's sessions in other browsers."""

    others: int


@router.post("session/password", response=SessionOut)
def change_password(request: HttpRequest, payload: PasswordIn) -> SessionOut:
    """Another password; sessions in other browsers end."""
    people.change_own_password(request.user, payload.old, payload.new)
    login(request, request.user, backend="django.contrib.auth.backends.ModelBackend")
    return _state(request)


@router.get("session/others", response=OthersOut)
def other_sessions(request: HttpRequest) -> OthersOut:
    """How many other browsers one is signed in with."""
    mine = request.session.session_key
    return OthersOut(others=sum(one.session_key != mine for one in people.sessions_of(request.user)))


@router.delete("session/others", response=OthersOut)
def end_others(request: HttpRequest) -> OthersOut:
    """Sign out in all other browsers."""
    people.end_sessions(request.user, request.session.session_key or "")
    return OthersOut(others=0)


@router.delete("session", response=SessionOut)
def sign_out(request: HttpRequest, response: HttpResponse) -> SessionOut:
    """Sign out; the demo does not sign in by itself again in this browser session."""
    logout(request)
    _left(request, response, True)
    return _state(request)


@router.post("session/done", response=SessionOut)
def done(request: HttpRequest, payload: DoneIn) -> SessionOut:
    """Something was done once: its first-run hint goes and does not come back."""
    with transaction.atomic():
        habit, _ = Habit.objects.select_for_update().get_or_create(person=request.user)
        if payload.what not in habit.done and len(habit.done) < MOST_HABITS:
            habit.done = [*habit.done, payload.what]
            habit.save(update_fields=["done"])
    return _state(request)


def _left(request: HttpRequest, response: HttpResponse, left: bool) -> None:
    if left or LEFT in request.COOKIES:
        secure, age = settings.SESSION_COOKIE_SECURE, None if left else 0
        response.set_cookie(LEFT, "1", max_age=age, httponly=True, samesite="Lax", secure=secure)


def _state(request: HttpRequest) -> SessionOut:
    user = request.user
    name = (user.get_full_name() or user.get_username()) if user.is_authenticated else ""
    habit = Habit.objects.filter(person=user).first() if user.is_authenticated else None
    return SessionOut(
        signed_in=user.is_authenticated, name=name, id=user.id or 0, demo=settings.DEMO, csrf=get_token(request),
        demo_people=[
            DemoPersonOut(name=one.username, full_name=name_of(one), role=members.best_role(one))
            for one in demo_people(request.META.get("REMOTE_ADDR", ""))
        ],
        house=user.is_authenticated and user.is_staff, works=user.is_authenticated and members.works_anywhere(user),
        done=habit.done if habit else [],
    )  # fmt: skip
