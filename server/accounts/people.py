"""People of the house: added, changed, their sessions ended."""

from collections import Counter
from typing import Any

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.core.validators import RegexValidator
from django.db import IntegrityError, transaction
from django.utils import timezone

from accounts.log import name_of, note
from hushcore.errors import HushError

NAME = RegexValidator(r"^[\w.@+-]{1,150}$")


def checked_password(password: str, person: User) -> str:
    """Raises HushError that says what a password lacks."""
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise HushError(" ".join(error.messages), "weak-password") from error
    return password


def add(name: str, full_name: str, password: str, house: bool, by: Any) -> User:
    """A new person. Raises HushError for a name that is taken or no name, or a weak password."""
    try:
        NAME(name)
    except ValidationError as error:
        raise HushError("A name to sign in with holds letters, digits and . @ + - _ only.", "no-name") from error
    person = User(username=name, is_staff=house)
    _named(person, full_name)
    person.set_password(checked_password(password, person))
    try:
        with transaction.atomic():
            person.save()
            note(by, "added a person", name_of(person))
    except IntegrityError as error:
        raise HushError(f"There is a {name} already; choose another name.", "exists") from error
    return person


def _named(person: User, full_name: str) -> None:
    first, _, last = full_name.strip().partition(" ")
    person.first_name, person.last_name = first[:150], last[:150]


@transaction.atomic
def change(person: User, given: dict[str, Any], by: Any) -> User:
    """Another full name or password, leave to run the house, or an end to both. Raises HushError for a weak password, or when
    nobody would be left to run the house."""
    if given.get("full_name") is not None:
        _named(person, given["full_name"])
    if given.get("password"):
        person.set_password(checked_password(given["password"], person))
        end_sessions(person)
    before = person.is_staff and person.is_active
    for name, field in (("house", "is_staff"), ("active", "is_active")):
        if given.get(name) is not None:
            setattr(person, field, given[name])
    others = User.objects.filter(is_staff=True, is_active=True).exclude(id=person.id)
    if before and not (person.is_staff and person.is_active) and not others.exists():
        raise HushError("Somebody must be left who runs the house; give another person leave first.", "last-one")
    person.save()
    if not person.is_active:
        end_sessions(person)
    note(by, "changed a person", name_of(person))
    return person


def change_own_password(person: User, old: str, new: str) -> None:
    """Another password; all other sessions end. Raises HushError for a wrong or a weak one."""
    if not person.check_password(old):
        raise HushError("That is not your password; nothing was changed.", "bad-sign-in")
    person.set_password(checked_password(new, person))
    person.save()
    end_sessions(person)
    note(person, "changed their password")


def sessions_of(person: User) -> list[Session]:
    """A person's sessions that are not over."""
    alive = Session.objects.filter(expire_date__gt=timezone.now())
    return [one for one in alive if one.get_decoded().get("_auth_user_id") == str(person.id)]


def sessions_counted() -> Counter[str]:
    """How many sessions each person has, by id as text: every session is looked into once."""
    alive = Session.objects.filter(expire_date__gt=timezone.now())
    return Counter(one.get_decoded().get("_auth_user_id", "") for one in alive)


def end_sessions(person: User, but: str = "") -> int:
    """End a person's sessions, all or all but one; how many there were."""
    found = [one for one in sessions_of(person) if one.session_key != but]
    for one in found:
        one.delete()
    return len(found)
