"""Work on a picture's rows by two threads, for inner loops that let go of the interpreter's lock."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import cv2

LEAST_ROWS = 64  # fewer are not worth another thread
_helper: ThreadPoolExecutor | None = None


def by_rows(work: Callable[[int, int], object], rows: int) -> None:
    """``work(first, last)`` over all rows. The lower half goes to a second thread where OpenCV, too, may use several
    (``cv2.setNumThreads(1)`` in a process of many workers keeps both to one)."""
    if rows < LEAST_ROWS or cv2.getNumThreads() < 2:
        work(0, rows)
        return
    global _helper
    if _helper is None:
        _helper = ThreadPoolExecutor(2, "hush-rows")
    other = _helper.submit(work, rows // 2, rows)
    work(0, rows // 2)
    other.result()


def _forget() -> None:
    """A forked process has none of its parent's threads."""
    global _helper
    _helper = None


os.register_at_fork(after_in_child=_forget)
