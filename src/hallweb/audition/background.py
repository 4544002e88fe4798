"""Measurements that take seconds: made by a working process, or one after another on a thread, while no sound is being rendered.

A page asks for a measurement and asks again, as soon as there is news of one, until it is there. One that nobody has asked for lately is
not begun.
"""

import hashlib
import logging
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any, Generic, ParamSpec, TypeVar, cast

from django.conf import settings
from django.core.cache import cache
from django.db import transaction
from django.utils.module_loading import import_string
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from hallweb.songs import news
from hallweb.songs.connections import own_connection
from hallweb.songs.files import rendering_mark
from hallweb.songs.models import Song
from highhall.errors import CoreError

_Asked = ParamSpec("_Asked")
_Value = TypeVar("_Value")

_logger = logging.getLogger(__name__)

_FORGOTTEN_S = 15.0
"""A measurement that was last asked for longer ago belongs to a page that is gone."""

_PAUSE_S, _LONGEST_PAUSE_S = 0.5, 1.0
"""So long after other processes have rendered sound work goes on; and so long at most it waits between two of its steps."""

_CLAIMED_S = 60
"""How long others leave a measurement to the process that has begun it, which may have died."""

QUEUE, _PRIORITY = "measurements", 10
"""Somebody waits for a measurement; a print may take its time."""

_KEPT_S = 7 * 24 * 3600

_BROKE_OFF = "The measurement broke off because of a fault in High Hall, which its log describes."


class MeasurementError(Exception):
    """Why there is no measurement, as a sentence."""


class SupersededError(Exception):
    """Work for a plan that is not heard any more: the song was edited, or something else typed."""


class Playing:
    """Who renders sound that is about to be heard; others wait until nobody does. Safe to use from several threads.

    A process for work waits for other processes of its machine too, which say by the time of a file that they render: it has
    no processor of its own, and what it does there slows down what the other half of a core does.
    """

    def __init__(self) -> None:
        self._count = 0
        self._changed = threading.Condition()

    @contextmanager
    def rendering(self) -> Iterator[None]:
        """Hold back what gives way."""
        self.expect()
        with self._changed:
            self._count += 1
        try:
            yield
        finally:
            with self._changed:
                self._count -= 1
                self._changed.notify_all()

    def expect(self) -> None:
        """Tell processes for work on this machine that sound is about to be rendered."""
        if settings.SERVES != "work":
            with suppress(OSError):  # on a full disk nobody waits
                rendering_mark().touch()

    def give_way(self) -> None:
        """Wait until nothing is rendered that is about to be heard; for other processes, a second at most."""
        with self._changed:
            self._changed.wait_for(lambda: self._count == 0)
        if settings.SERVES == "work":
            latest = time.monotonic() + _LONGEST_PAUSE_S
            while (pause := _pause_s()) > 0 and time.monotonic() < latest:
                time.sleep(pause)


def _pause_s() -> float:
    """Return how long to wait, so that other processes have rendered nothing for a while."""
    try:
        return rendering_mark().stat().st_mtime + _PAUSE_S - time.time()
    except OSError:
        return 0.0


PLAYING = Playing()


def giving_way(song_id: int, revision_id: int) -> Callable[[], None]:
    """Return what a measurement of a song's newest revision calls between its steps.

    It waits as `Playing.give_way` does, and raises SupersededError if the song has been changed meanwhile.
    """

    def give_way() -> None:
        PLAYING.give_way()
        if not Song.objects.filter(pk=song_id, head=revision_id).exists():
            raise SupersededError

    return give_way


@dataclass(frozen=True, slots=True)
class Measurement(Generic[_Asked, _Value]):
    """What can be measured, by a name that any process finds it by; numbers and texts say what of."""

    function: Callable[_Asked, _Value]

    @property
    def name(self) -> str:
        """The place of it in the code."""
        return f"{self.function.__module__}.{self.function.__qualname__}"

    def __call__(self, *args: _Asked.args, **kwargs: _Asked.kwargs) -> _Value:
        """Measure, now."""
        return self.function(*args, **kwargs)


@dataclass(frozen=True, slots=True)
class Task:
    """One measurement that is to be made, and the song of which."""

    key: str
    song_id: int
    measurement: Measurement
    arguments: tuple[Any, ...]

    def do(self) -> None:
        """Measure, keep what was found or why nothing was, and tell pages, which then ask for what they miss.

        Nothing is kept if nobody waits, it was done meanwhile, or the song was changed.
        """
        try:
            if cache.get(_waited_for(self.key)) and cache.get(self.key) is None:
                cache.set(self.key, self._found(), _KEPT_S)
        except SupersededError:
            _logger.info("%s was given up: the song has been changed", self.key)
        finally:
            cache.delete(_claim(self.key))
        news.tell(self.song_id, news.MEASURED)

    def _found(self) -> tuple[object, str]:
        try:
            return self.measurement(*self.arguments), ""
        except CoreError as error:
            return None, str(error)
        except SupersededError:
            raise
        except Exception:
            _logger.exception("%s could not be measured", self.key)
            return None, _BROKE_OFF


class Measurements:
    """Measurements by key: what is there is told at once; what is not, `begin` has made."""

    def __init__(self, begin: Callable[[Task], object]) -> None:
        self._begin = begin

    def of(
        self, key: str, song_id: int, measurement: Measurement[_Asked, _Value], *args: _Asked.args, **_: _Asked.kwargs
    ) -> _Value | None:
        """Return what was measured of a song, as soon as it is there; None until then.

        Raises
        ------
        MeasurementError
            If there is none: it was tried, and raised an error.
        """
        kept: tuple[_Value] | None = _kept(key)
        if kept is not None:
            return kept[0]
        cache.set(_waited_for(key), 1, _FORGOTTEN_S)
        if cache.add(_claim(key), 1, _CLAIMED_S):  # of all processes, one begins
            self._begin(Task(key, song_id, measurement, args))
        return None

    def known(self, key: str, *_: object) -> Any | None:  # noqa: ANN401 - what was measured under a key is of any type
        """Return what was measured; None if nothing was yet, and nothing is begun.

        Raises
        ------
        MeasurementError
            If there is none: it was tried, and raised an error.
        """
        kept = _kept(key)
        return kept[0] if kept is not None else None


def _claim(key: str) -> str:
    return f"measuring-{key}"


def _waited_for(key: str) -> str:
    return f"waiting-for-{key}"


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


THREAD: Executor = _OwnThread()


def _begin_here(task: Task) -> None:
    THREAD.submit(task.do)


def _queue(task: Task) -> None:
    lock = f"measure-{hashlib.sha256(task.key.encode()).hexdigest()}"
    with suppress(AlreadyEnqueued), transaction.atomic():
        measure.configure(queueing_lock=lock).defer(
            key=task.key, song_id=task.song_id, name=task.measurement.name, arguments=list(task.arguments)
        )


@app.task(name="measure", queue=QUEUE, priority=_PRIORITY)
@own_connection()
def measure(key: str, song_id: int, name: str, arguments: list[Any]) -> None:
    """Do what another process has asked for."""
    Task(key, song_id, cast("Measurement", import_string(name)), tuple(arguments)).do()


IN_THIS_PROCESS = Measurements(_begin_here)
"""What is of use in the memory of this process alone."""

MEASUREMENTS = Measurements(_queue if settings.SERVES == "web" else _begin_here)
