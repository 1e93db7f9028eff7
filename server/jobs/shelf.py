"""A small store of what is costly to make, bounded by the bytes that it holds."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, TypeVar

Kept = TypeVar("Kept")


class Shelf:
    """Least recently used things go first once ``most`` bytes are exceeded; safe between threads."""

    def __init__(self, most: int, size: Callable[[Any], int]) -> None:
        self.most, self.size = most, size
        self.held = 0
        self._items: OrderedDict[Any, Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Any) -> Any:
        """What is kept under ``key``, or None."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
            return None

    def put(self, key: Any, item: Kept) -> Kept:
        """Keep an item; the newest stays even when it is larger than the shelf."""
        with self._lock:
            old = self._items.pop(key, None)
            self.held += self.size(item) - (self.size(old) if old is not None else 0)
            self._items[key] = item
            while self.held > self.most and len(self._items) > 1:
                _, gone = self._items.popitem(last=False)
                self.held -= self.size(gone)
        return item

    def once(self, key: Any, make: Callable[[], Kept]) -> Kept:
        """Get or make."""
        found: Kept | None = self.get(key)
        return found if found is not None else self.put(key, make())
