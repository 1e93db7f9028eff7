"""The log of who changed, reviewed and delivered what. It only grows."""

from typing import Any

from accounts.models import LogEntry


def name_of(person: Any) -> str:
    """A person's full name, or the one that they sign in with; empty for nobody."""
    if person is None or not getattr(person, "is_authenticated", False):
        return ""
    return person.get_full_name() or person.get_username()


def note(person: Any, what: str, about: str = "", job: int | None = None, shot: int | None = None) -> None:
    """Write a line, with the transaction of the change itself. ``what``: a few words in the past tense."""
    LogEntry.objects.create(who=name_of(person)[:150], what=what[:40], about=about[:300], job=job, shot=shot)
