"""Laws of the tempo map, for any map."""

from fractions import Fraction

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from highhall.timing import Meter, MeterMap, TempoChange, TempoMap

speeds = st.floats(0.05, 4)
gaps = st.fractions(Fraction(1, 8), 16, max_denominator=64)


@st.composite
def tempo_maps(draw: st.DrawFn) -> TempoMap:
    changes = [TempoChange(at_whole_notes=Fraction(0), whole_notes_per_s=draw(speeds))]
    for gap in draw(st.lists(gaps, max_size=5)):
        place = changes[-1].at_whole_notes + gap
        changes.append(TempoChange(at_whole_notes=place, whole_notes_per_s=draw(speeds), is_ramp=draw(st.booleans())))
    return TempoMap(changes)


@settings(derandomize=True, max_examples=200)
@given(tempos=tempo_maps(), place=st.fractions(-4, 64, max_denominator=960))
@example(
    tempos=TempoMap(
        [
            TempoChange(at_whole_notes=Fraction(0), whole_notes_per_s=1.0),
            TempoChange(at_whole_notes=Fraction(4), whole_notes_per_s=1.0 + 1e-12, is_ramp=True),
        ]
    ),
    place=Fraction(3),
)
def test_position_to_seconds_and_back_is_the_identity(tempos: TempoMap, place: Fraction) -> None:
    assert tempos.whole_notes_at(tempos.seconds_at(place)) == pytest.approx(float(place), abs=1e-9)


@settings(derandomize=True, max_examples=100)
@given(
    steps=st.lists(
        st.tuples(st.integers(1, 9), st.integers(1, 13), st.sampled_from([2, 4, 8, 16])), min_size=1, max_size=5
    ),
    place=st.fractions(0, 64, max_denominator=960),
)
def test_whole_notes_to_position_and_back_is_exact(steps: list[tuple[int, int, int]], place: Fraction) -> None:
    meters, bar = [], 1
    for bars, beats, unit in steps:
        meters.append(Meter(bar, beats, unit))
        bar += bars
    meter_map = MeterMap(tuple(meters))
    assert meter_map.whole_notes_at(meter_map.position_at(place)) == place
