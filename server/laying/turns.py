"""Looking takes turns, so that whoever paints is not kept waiting by all who look."""

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection

AT_ONCE = max(1, (os.cpu_count() or 2) - 1)  # one processor is left to strokes and to what is small
_looks = threading.BoundedSemaphore(AT_ONCE)


@contextmanager
def turn() -> Iterator[None]:
    """Wait for a turn to lay a picture that is only looked at. The database's connection is given back meanwhile: those who
    wait must not hold all there are."""
    if not _looks.acquire(blocking=False):
        if not connection.in_atomic_block:
            connection.close()
        _looks.acquire()
    try:
        yield
    finally:
        _looks.release()
