"""Note values, meters and the tempo map against closed forms."""

import math
from fractions import Fraction

import numpy as np
import pytest

from highhall.errors import CoreError
from highhall.timing import (
    Meter,
    MeterMap,
    Milliseconds,
    NoteValue,
    Position,
    SongTime,
    TempoChange,
    TempoMap,
    parse_time_value,
)


@pytest.mark.parametrize(
    ("text", "whole_notes"),
    [("1/4", Fraction(1, 4)), ("1/8.", Fraction(3, 16)), ("1/8T", Fraction(1, 12)), ("3/16", Fraction(3, 16))],
)
def test_a_note_value_is_a_fraction_of_a_whole_note(text: str, whole_notes: Fraction) -> None:
    note = NoteValue.parse(text)
    assert note.whole_notes == whole_notes
    assert str(note) == text


@pytest.mark.parametrize("text", ["1/3", "0/4", "65/4", "1/256", "1/8..", "one eighth", "", "1/8 T"])
def test_what_is_no_note_value_is_refused(text: str) -> None:
    with pytest.raises(CoreError):
        NoteValue.parse(text)


def test_milliseconds_may_have_decimals() -> None:
    assert parse_time_value("12.5ms") == Milliseconds(12.5)
    assert parse_time_value("375 ms").seconds == 0.375


def test_a_compound_bar_of_six_eighths_is_three_quarters_long() -> None:
    meters = MeterMap((Meter(1, 6, 8), Meter(5, 4, 4)))
    assert meters.whole_notes_at(Position(5)) == 3
    assert meters.whole_notes_at(Position.parse("5|4.5")) == 3 + Fraction(7, 8)
    assert meters.position_at(Fraction(3)) == Position(5)


def test_a_beat_beyond_its_bar_is_refused_with_the_meter() -> None:
    with pytest.raises(CoreError, match=r"6/8, so its beats lie below 7"):
        MeterMap((Meter(1, 6, 8),)).whole_notes_at(Position(2, Fraction(7)))


@pytest.mark.parametrize("text", ["12|4", "12|4.5", "12|4+1/3", "1|1.000000000001"])
def test_a_position_is_written_as_it_was_read(text: str) -> None:
    assert str(Position.parse(text)) == text


def test_seconds_at_a_steady_tempo() -> None:
    tempos = TempoMap([TempoChange(at_whole_notes=Fraction(0), whole_notes_per_s=0.5)])
    assert tempos.seconds_at(Fraction(3)) == 6.0
    assert tempos.seconds_at(Fraction(-1)) == -2.0


def ramp_map() -> TempoMap:
    return TempoMap(
        [
            TempoChange(at_whole_notes=Fraction(0), whole_notes_per_s=0.5),
            TempoChange(at_whole_notes=Fraction(4), whole_notes_per_s=1.0, is_ramp=True),
            TempoChange(at_whole_notes=Fraction(8), whole_notes_per_s=0.25),
        ]
    )


def test_a_ramp_of_speed_over_position_takes_the_logarithmic_time() -> None:
    # v = 0.5 + q / 8, so t = integral dq / v = 8 ln(v1 / v0)
    assert ramp_map().seconds_at(4) == pytest.approx(8 * math.log(2), rel=1e-12)
    assert ramp_map().seconds_at(2) == pytest.approx(8 * math.log(1.5), rel=1e-12)


def test_after_the_last_change_its_tempo_stays() -> None:
    tempos = ramp_map()
    assert tempos.seconds_at(9) - tempos.seconds_at(8) == pytest.approx(4)


def test_times_earlier_by_a_note_agree_with_the_map_one_by_one() -> None:
    tempos = ramp_map()
    seconds = np.linspace(-1, 14, 301)
    expected = [tempos.seconds_at(tempos.whole_notes_at(t) - 0.125) for t in seconds]
    np.testing.assert_allclose(tempos.seconds_before(seconds, 0.125), expected, atol=1e-12)


def test_where_one_tempo_holds_a_note_is_always_as_long_ago() -> None:
    tempos = ramp_map()
    first, second = tempos.steady_lags(0.125)  # none in the ramp
    middle_s, last_s = tempos.seconds_at(4), tempos.seconds_at(8)
    assert first == pytest.approx((middle_s + 0.125, last_s, 0.125))
    assert second == pytest.approx((last_s + 0.5, math.inf, 0.5))
    for start, end, lag in (first, (second[0], 30.0, second[2])):
        seconds = np.linspace(start, end - 1e-9, 50)
        np.testing.assert_allclose(seconds - tempos.seconds_before(seconds, 0.125), lag, atol=1e-12)


def test_a_length_counts_along_the_tempo_from_its_anchor() -> None:
    time = SongTime(MeterMap((Meter(1, 4, 4),)), ramp_map(), 48000)
    quarter = NoteValue(1, 4)
    assert time.seconds_of(quarter, Position(1)) == pytest.approx(8 * math.log(0.53125 / 0.5))
    before = time.seconds_at(Position(5)) - time.seconds_ahead_of(quarter, Position(5))
    assert before == pytest.approx(8 * math.log(1 / 0.96875))


def test_the_slowest_place_of_a_stretch_is_named() -> None:
    time = SongTime(MeterMap((Meter(1, 4, 4),)), ramp_map(), 48000)
    seconds, place = time.longest_seconds_of(NoteValue(1, 4), Position(1), Position(9))
    assert (seconds, place) == (0.5, Position(1))
    seconds, place = time.longest_seconds_of(NoteValue(1, 4), Position(1), Position(12))
    assert (seconds, place) == (1.0, Position(9))
