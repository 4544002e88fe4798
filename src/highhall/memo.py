"""Values by key, the least recently used forgotten. Safe to use from several threads."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

_Value = TypeVar("_Value")


class Memo(Generic[_Value]):
    """At most `kept` values; a value may be worked out twice where two ask for it at once."""

    def __init__(self, kept: int) -> None:
        self._kept = kept
        self._guard = threading.Lock()
        self._values: OrderedDict[object, _Value] = OrderedDict()

    def get(self, key: object) -> _Value | None:
        """Return the value of a key if it is kept."""
        with self._guard:
            if key not in self._values:
                return None
            self._values.move_to_end(key)
            return self._values[key]

    def has(self, key: object) -> bool:
        """Whether a value is kept, be it None."""
        with self._guard:
            return key in self._values

    def keep(self, key: object, value: _Value) -> _Value:
        """Keep a value, and return it."""
        with self._guard:
            self._values[key] = value
            self._values.move_to_end(key)
            while len(self._values) > self._kept:
                self._values.popitem(last=False)
        return value

    def of(self, key: object, work: Callable[[], _Value]) -> _Value:
        """Return the value of a key, worked out if it is not kept."""
        with self._guard:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
        return self.keep(key, work())
