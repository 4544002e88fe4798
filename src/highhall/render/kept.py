"""What is kept in bounded memory: what was used least recently goes first."""

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Any


class Kept:
    """Values by key, `limit_bytes` of them at the most; safe to use from several threads."""

    def __init__(self, limit_bytes: int) -> None:
        self._limit = limit_bytes
        self._guard = threading.Lock()
        self._values: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._bytes = 0

    @property
    def held_bytes(self) -> int:
        """How many bytes all values take."""
        return self._bytes

    def keep(self, key: Hashable, value: object, size: int) -> None:
        """Keep a value of `size` bytes, in the place of one that has the same key; not if it is larger than all that may be kept."""
        if size > self._limit:
            return
        with self._guard:
            _, before = self._values.pop(key, (None, 0))
            self._values[key] = (value, size)
            self._bytes += size - before
            while self._bytes > self._limit:
                _, (_, oldest) = self._values.popitem(last=False)
                self._bytes -= oldest

    def find(self, key: Hashable) -> Any:  # noqa: ANN401 - what was kept
        """Return the value of a key; None if there is none."""
        with self._guard:
            if key in self._values:
                self._values.move_to_end(key)
            return self._values.get(key, (None, 0))[0]

    def take(self, key: Hashable) -> Any:  # noqa: ANN401 - what was kept
        """Return the value of a key and keep it no longer; None if there is none."""
        with self._guard:
            value, size = self._values.pop(key, (None, 0))
            self._bytes -= size
            return value
