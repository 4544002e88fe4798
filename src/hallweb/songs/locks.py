"""Locks by key."""

import threading
from weakref import WeakValueDictionary


class _Lock:
    """A lock that can be held by weak reference."""

    def __init__(self) -> None:
        self._lock = threading.Lock()

    def __enter__(self) -> None:
        self._lock.acquire()

    def __exit__(self, *_: object) -> None:
        self._lock.release()


class Locks:
    """One lock a key, so that what two threads ask for at once is made once."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._locks: WeakValueDictionary[object, _Lock] = WeakValueDictionary()

    def of(self, key: object) -> _Lock:
        """Return the lock of a key."""
        with self._guard:
            return self._locks.setdefault(key, _Lock())
