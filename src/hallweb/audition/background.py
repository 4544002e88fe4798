"""Measurements that take seconds: made one after another on a thread of their own, while no sound is being rendered.

A page asks for a measurement and asks again until it is there. One that nobody has asked for lately is not begun.
"""

import logging
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import contextmanager
from typing import Any, TypeVar

from django.core.cache import cache

from hallweb.songs.connections import own_connection
from highhall.errors import CoreError

_Value = TypeVar("_Value")

_logger = logging.getLogger(__name__)

_FORGOTTEN_S = 15.0
"""A measurement that was last asked for longer ago belongs to a page that is gone."""

_CLAIMED_S = 60
"""How long others leave a measurement to the process that has begun it, which may have died."""

_KEPT_S = 7 * 24 * 3600

_BROKE_OFF = "The measurement broke off because of a fault in High Hall, which its log describes."


class MeasurementError(Exception):
    """Why there is no measurement, as a sentence."""


class Playing:
    """Who renders sound that is about to be heard; others wait until nobody does. Safe to use from several threads."""

    def __init__(self) -> None:
        self._count = 0
        self._changed = threading.Condition()

    @contextmanager
    def rendering(self) -> Iterator[None]:
        """Hold back what gives way."""
        with self._changed:
            self._count += 1
        try:
            yield
        finally:
            with self._changed:
                self._count -= 1
                self._changed.notify_all()

    def give_way(self) -> None:
        """Wait until nothing is rendered that is about to be heard."""
        with self._changed:
            self._changed.wait_for(lambda: self._count == 0)


PLAYING = Playing()


class Measurements:
    """Measurements by key: what is there is told at once, what is not is begun by `executor`."""

    def __init__(self, executor: Executor, clock: Callable[[], float] = time.monotonic) -> None:
        self._executor, self._clock = executor, clock
        self._guard = threading.Lock()
        self._asked: dict[str, float] = {}

    def of(self, key: str, measure: Callable[[], _Value]) -> _Value | None:
        """Return what `measure` gives, as soon as it is there; None until then.

        Raises
        ------
        MeasurementError
            If there is none: `measure` raised an error.
        """
        kept: tuple[_Value] | None = _kept(key)
        if kept is not None:
            return kept[0]
        with self._guard:
            is_new = key not in self._asked
            self._asked[key] = self._clock()
        if is_new and cache.add(_claim(key), 1, _CLAIMED_S):  # of all processes, one begins
            self._executor.submit(self._measure, key, measure)
        elif is_new:
            self._forget(key)
        return None

    def known(self, key: str) -> Any | None:  # noqa: ANN401 - what was measured under a key is of any type
        """Return what was measured; None if nothing was yet, and nothing is begun.

        Raises
        ------
        MeasurementError
            If there is none: it was tried, and raised an error.
        """
        kept = _kept(key)
        return kept[0] if kept is not None else None

    def _measure(self, key: str, measure: Callable[[], object]) -> None:
        try:
            with self._guard:
                is_wanted = self._clock() - self._asked[key] < _FORGOTTEN_S
            if is_wanted:
                cache.set(key, (measure(), ""), _KEPT_S)
        except CoreError as error:
            cache.set(key, (None, str(error)), _KEPT_S)
        except Exception:
            _logger.exception("%s could not be measured", key)
            cache.set(key, (None, _BROKE_OFF))
        finally:
            cache.delete(_claim(key))
            self._forget(key)

    def _forget(self, key: str) -> None:
        with self._guard:
            del self._asked[key]


def _claim(key: str) -> str:
    return f"measuring-{key}"


def _kept(key: str) -> tuple[Any] | None:
    """Return what is kept under a key, alone in a tuple; None if nothing is."""
    found: tuple[Any, str] | None = cache.get(key)
    if found is None:
        return None
    value, problem = found
    if problem:
        raise MeasurementError(problem)
    return (value,)


class _OwnThread(ThreadPoolExecutor):
    """One thread, which leaves no connection to the database open between its works."""

    def __init__(self) -> None:
        super().__init__(max_workers=1, thread_name_prefix="measuring")

    def submit(self, work: Callable[..., Any], /, *args: Any, **more: Any) -> "Future[Any]":  # noqa: ANN401 - as the base class
        return super().submit(own_connection()(work), *args, **more)


MEASUREMENTS = Measurements(_OwnThread())
