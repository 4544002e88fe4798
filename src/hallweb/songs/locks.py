"""Locks by key."""

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from heapq import heappop, heappush
from itertools import count
from typing import Generic, TypeVar
from weakref import WeakValueDictionary

_Kind = TypeVar("_Kind")


class _Lock:
    """A lock that can be held by weak reference."""

    def __init__(self) -> None:
        self._lock = threading.Lock()

    def __enter__(self) -> None:
        self._lock.acquire()

    def __exit__(self, *_: object) -> None:
        self._lock.release()


class Turns:
    """Work that is done one after another: of those who wait, the lowest number is next, and of equal ones the first who came."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._tickets = count()
        self._waiting: list[tuple[int, int]] = []
        self._is_taken = False

    @contextmanager
    def turn(self, number: int) -> Iterator[None]:
        """Wait for the turn of a number, and have it until the block ends."""
        with self._changed:
            mine = (number, next(self._tickets))
            heappush(self._waiting, mine)
            self._changed.wait_for(lambda: not self._is_taken and self._waiting[0] == mine)
            heappop(self._waiting)
            self._is_taken = True
        try:
            yield
        finally:
            with self._changed:
                self._is_taken = False
                self._changed.notify_all()


class _ByKey(Generic[_Kind]):
    """One of a kind for each key, for as long as somebody has it."""

    def __init__(self, make: Callable[[], _Kind]) -> None:
        self._make, self._guard = make, threading.Lock()
        self._made: WeakValueDictionary[object, _Kind] = WeakValueDictionary()

    def of(self, key: object) -> _Kind:
        """Return that of a key."""
        with self._guard:
            return self._made.setdefault(key, self._make())


class Locks(_ByKey[_Lock]):
    """One lock a key, so that what two threads ask for at once is made once."""

    def __init__(self) -> None:
        super().__init__(_Lock)


class TurnsByKey(_ByKey[Turns]):
    """Turns that are taken for each key on its own."""

    def __init__(self) -> None:
        super().__init__(Turns)
