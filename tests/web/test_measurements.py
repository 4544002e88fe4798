"""Measurements in the background: asked for again until they are there, and behind what is played."""

import os
import threading
from unittest.mock import Mock

import pytest
from django.core.cache import cache
from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.audition import background
from hallweb.audition.background import (
    Measurement,
    MeasurementError,
    Measurements,
    Playing,
    Task,
    giving_way,
    measure,
)
from hallweb.songs import news
from hallweb.songs.actions import edit_plan
from hallweb.songs.files import rendering_mark
from highhall.errors import CoreError
from highhall.plan.edits import set_return
from tests.web.factories import make_song

pytestmark = pytest.mark.django_db

SONG = 7
work = Mock()


@Measurement
def doubled(number: float) -> float:
    return work(number) or 2 * number


@pytest.fixture(autouse=True)
def told(monkeypatch):
    cache.clear()
    work.reset_mock(return_value=True, side_effect=True)
    work.return_value = None
    told = Mock()
    monkeypatch.setattr(news, "tell", told)
    return told


@pytest.fixture
def begun() -> list[Task]:
    return []


@pytest.fixture
def measurements(begun) -> Measurements:
    return Measurements(begun.append)


def test_a_measurement_is_begun_once_and_told_when_it_is_there(measurements, begun, told) -> None:
    assert measurements.known("a") is None
    assert begun == []  # asking what is known begins nothing
    assert [measurements.of("a", SONG, doubled, 4.5) for _ in range(3)] == [None] * 3
    assert len(begun) == 1
    begun[0].do()
    told.assert_called_once_with(SONG, "measured")
    assert measurements.known("a") == 9.0
    assert [measurements.of("a", SONG, doubled, 4.5) for _ in range(2)] == [9.0, 9.0]
    begun[0].do()  # as if two had begun it
    work.assert_called_once_with(4.5)


def test_a_measurement_that_nobody_waits_for_any_more_is_not_made(measurements, begun, monkeypatch) -> None:
    monkeypatch.setattr(background, "_FORGOTTEN_S", 0)
    measurements.of("a", SONG, doubled, 1)
    begun[0].do()
    work.assert_not_called()
    monkeypatch.undo()
    measurements.of("a", SONG, doubled, 1)  # whoever comes back gets it
    begun[1].do()
    assert measurements.known("a") == 2


@pytest.mark.parametrize(("error", "says"), [(CoreError("too short"), "too short"), (ZeroDivisionError(), "its log")])
def test_a_measurement_that_fails_says_why(measurements, begun, error, says) -> None:
    work.side_effect = error
    measurements.of("a", SONG, doubled, 1)
    begun[0].do()
    with pytest.raises(MeasurementError, match=says):
        measurements.of("a", SONG, doubled, 1)


def test_a_measurement_of_a_song_that_has_been_changed_is_given_up_and_pages_ask_again(
    measurements, begun, told, user
) -> None:
    song = make_song(user)
    first = song.head_id
    giving_way(song.pk, first)()  # it is the newest: the measurement goes on
    edit_plan(song.pk, 1, "Level", lambda plan: set_return(plan, "hall", level_db=-3.0))
    work.side_effect = lambda _: giving_way(song.pk, first)()
    told.reset_mock()
    measurements.of("a", song.pk, doubled, 1)
    begun[0].do()
    told.assert_called_once_with(song.pk, "measured")
    assert measurements.known("a") is None
    work.side_effect = None
    assert measurements.of("a", song.pk, doubled, 1) is None  # the claim is free again
    begun[1].do()
    assert measurements.known("a") == 2


def test_a_process_for_work_pauses_after_others_have_rendered_sound_for_a_while_at_most(settings, monkeypatch) -> None:
    now, slept = [1000.0], []

    def sleep(seconds: float) -> None:
        slept.append(seconds)
        now[0] += seconds

    clock = Mock(monotonic=lambda: now[0], time=lambda: now[0], sleep=sleep)
    monkeypatch.setattr(background, "time", clock)
    playing, mark = Playing(), rendering_mark()
    settings.SERVES = "work"
    with playing.rendering():
        assert not mark.exists()  # what work renders by itself holds nobody back
    playing.give_way()
    settings.SERVES = "sound"
    playing.expect()
    os.utime(mark, (1000.0, 1000.0))
    playing.give_way()
    assert slept == []
    settings.SERVES = "work"
    playing.give_way()
    assert slept == [0.5]
    monkeypatch.setattr(background, "_pause_s", lambda: 0.5)  # sound is rendered all the time
    playing.give_way()
    assert sum(slept[1:]) == 1.0


def test_another_process_makes_what_is_asked_for_and_is_asked_once() -> None:
    asked = Measurements(background._queue)
    assert asked.of("a", SONG, doubled, 3.0) is None
    cache.delete("measuring-a")  # the claim is over, and the job waits still
    assert asked.of("a", SONG, doubled, 3.0) is None
    job = ProcrastinateJob.objects.get(task_name="measure")
    assert job.queue_name == "measurements"
    assert job.priority > 0  # before every print
    measure.func(**job.args)
    assert asked.of("a", SONG, doubled, 3.0) == 6.0


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
