"""Measurements in the background: asked for again until they are there, and behind what is played."""

import threading
from concurrent.futures import Executor

import pytest
from django.core.cache import cache

from hallweb.audition.background import MeasurementError, Measurements, Playing
from highhall.errors import CoreError


class Later(Executor):
    """Does its work when it is told to."""

    def __init__(self):
        self.waiting = []

    def submit(self, work, /, *args, **_):
        self.waiting.append((work, args))

    def work(self):
        for work, args in self.waiting:
            work(*args)
        self.waiting.clear()


@pytest.fixture
def later():
    cache.clear()
    return Later()


def test_a_measurement_is_begun_once_and_told_when_it_is_there(later) -> None:
    made = []
    measurements = Measurements(later)

    def measure():
        made.append(1)
        return 4.5

    assert measurements.known("a") is None
    assert later.waiting == []  # asking what is known begins nothing
    assert [measurements.of("a", measure) for _ in range(3)] == [None] * 3
    assert len(later.waiting) == 1
    later.work()
    assert measurements.known("a") == 4.5
    assert [measurements.of("a", measure) for _ in range(2)] == [4.5, 4.5]
    assert made == [1]


def test_a_measurement_that_nobody_waits_for_any_more_is_not_made(later) -> None:
    now, made = [0.0], []
    measurements = Measurements(later, lambda: now[0])
    measurements.of("old", lambda: made.append("old"))
    now[0] = 60.0
    measurements.of("new", lambda: made.append("new"))
    later.work()
    assert made == ["new"]
    measurements.of("old", lambda: made.append("old"))  # whoever comes back gets it
    later.work()
    assert made == ["new", "old"]


@pytest.mark.parametrize(("error", "says"), [(CoreError("too short"), "too short"), (ZeroDivisionError(), "its log")])
def test_a_measurement_that_fails_says_why(later, error, says) -> None:
    measurements = Measurements(later)

    def measure():
        raise error

    measurements.of("a", measure)
    later.work()
    with pytest.raises(MeasurementError, match=says):
        measurements.of("a", measure)


def test_who_gives_way_goes_on_once_nothing_is_rendered_for_playing() -> None:
    playing, gone_on = Playing(), threading.Event()

    def wait():
        playing.give_way()
        gone_on.set()

    with playing.rendering():
        waiting = threading.Thread(target=wait)
        waiting.start()
        assert not gone_on.wait(0.05)
    waiting.join()
    assert gone_on.is_set()
    playing.give_way()  # where nothing is rendered, nobody waits
