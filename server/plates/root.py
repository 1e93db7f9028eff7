"""Where pictures that came back from editors, and artwork, are kept."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings


def plates_root() -> Path:
    """Where pictures that came back from editors, and artwork, are kept."""
    return Path(settings.PLATES)


@contextmanager
def kept_if_used(place: str) -> Iterator[None]:
    """A file under the plates root goes again when the change that it came for is refused."""
    try:
        yield
    except Exception:
        (plates_root() / place).unlink(missing_ok=True)
        raise
