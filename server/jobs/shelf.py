"""Stores of what is costly to make, all within one budget of bytes for the process."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

from django.conf import settings

Kept = TypeVar("Kept")


class Budget:
    """What the shelves of a process may hold together, in bytes. Least recently used things go first."""

    def __init__(self, most: int) -> None:
        self.most, self.held = most, 0
        self.lock = threading.Lock()
        self.items: OrderedDict[tuple[int, Any], tuple[Any, int]] = OrderedDict()

    def get(self, key: tuple[int, Any]) -> Any:
        """What is kept, as used just now; None when it is not."""
        with self.lock:
            if key not in self.items:
                return None
            self.items.move_to_end(key)
            return self.items[key][0]

    def put(self, key: tuple[int, Any], item: Any, size: int) -> None:
        """Keep an item; the newest stays even when it is larger than the budget."""
        with self.lock:
            if key in self.items:
                self.held -= self.items.pop(key)[1]
            self.items[key] = (item, size)
            self.held += size
            while self.held > self.most and len(self.items) > 1:
                _, (_, gone) = self.items.popitem(last=False)
                self.held -= gone


COMMON = Budget(settings.CACHE_BYTES)


class Shelf:
    """Things of one kind, each under a key; ``size`` says what one takes. Safe between threads."""

    def __init__(self, size: Callable[[Any], int], budget: Budget = COMMON) -> None:
        self.size, self.budget = size, budget
        self.guard = threading.Lock()
        self.making: dict[Any, tuple[Any, int]] = {}  # what is being made, and by how many wanted

    def get(self, key: Any) -> Any:
        """What is kept under ``key``, or None."""
        return self.budget.get((id(self), key))

    def put(self, key: Any, item: Kept) -> Kept:
        """Keep an item and hand it back."""
        self.budget.put((id(self), key), item, self.size(item))
        return item

    def once(self, key: Any, make: Callable[[], Kept]) -> Kept:
        """Get or make; who asks for what another thread is making waits for it instead of making it again."""
        found: Kept | None = self.get(key)
        if found is not None:
            return found
        with self._making(key):
            found = self.get(key)
            return found if found is not None else self.put(key, make())

    @contextmanager
    def _making(self, key: Any) -> Iterator[None]:
        with self.guard:
            lock, waiting = self.making.get(key, (threading.RLock(), 0))
            self.making[key] = (lock, waiting + 1)
        try:
            with lock:
                yield
        finally:
            with self.guard:
                lock, waiting = self.making.pop(key)
                if waiting > 1:
                    self.making[key] = (lock, waiting - 1)
