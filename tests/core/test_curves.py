"""Moves as curves, measured against the rules of the plan format."""

from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from highhall.curves import curve_of
from highhall.plan import SendTarget, plan_from_document
from tests.core.plans import make_document

TARGET = SendTarget(source="voice", target="hall", param="level_db")
RATE = 48000
AVERAGE = 240  # 5 ms


def gains(own: float | None = -20.0, param: str = "level_db", seconds: float = 12.0, **move: Any) -> np.ndarray:
    """Bars of two seconds; section a is bars 1 and 2, b bars 3 and 4 (4 s to 8 s)."""
    document = make_document()
    document["moves"] = [{"target": {"send": ["voice", "hall"], "param": param}, **move}]
    plan = plan_from_document(document)
    target = SendTarget(source="voice", target="hall", param=param)
    return curve_of(plan, target, own).values(0, int(seconds * RATE))


def level(values: np.ndarray, seconds: float) -> float:
    return float(20 * np.log10(np.maximum(values[int(seconds * RATE)], 1e-9)))


def test_without_a_move_the_own_value_holds() -> None:
    document = make_document()
    document["moves"] = []
    curve = curve_of(plan_from_document(document), TARGET, -20.0)
    assert curve.constant == pytest.approx(0.1)


def test_a_section_value_holds_in_its_section_and_the_own_value_outside() -> None:
    heard = gains(sections=[{"section": "b", "value": -6.0}])
    assert [level(heard, t) for t in (3.9, 4.0, 6.0, 7.99, 8.0)] == pytest.approx([-20, -6, -6, -6, -20], abs=1e-6)


def test_a_jump_is_complete_on_its_boundary_and_takes_5_ms_before_it() -> None:
    heard = gains(sections=[{"section": "b", "value": -6.0}])
    boundary = 4 * RATE
    assert level(heard, 4.0) == pytest.approx(-6, abs=1e-6)
    assert heard[boundary - AVERAGE] == pytest.approx(0.1, rel=1e-6)
    rising = np.diff(heard[boundary - AVERAGE : boundary + 1])
    assert (rising > 0).all()
    assert rising.max() < 0.01


def test_a_ramp_before_a_section_is_straight_in_db() -> None:
    heard = gains(sections=[{"section": "b", "value": -8.0, "ramp": "1/4"}])
    times = np.array([3.5, 3.625, 3.75, 3.875])
    expected = -20 + 12 * (times + 0.0025 - 3.5) / 0.5  # the average looks 2.5 ms ahead
    assert [level(heard, t) for t in times] == pytest.approx(expected, abs=0.1)
    assert level(heard, 4.0) == pytest.approx(-8, abs=1e-6)


def test_a_ramp_after_a_section_starts_on_its_boundary() -> None:
    heard = gains(sections=[{"section": "b", "value": -8.0, "ramp": "500ms", "ramp_side": "after"}])
    assert [level(heard, t) for t in (3.99, 4.25, 4.5)] == pytest.approx([-20, -14 + 0.06, -8], abs=0.1)


def test_a_ramp_from_silence_runs_from_minus_60_and_is_zero_beyond() -> None:
    heard = gains(own=None, sections=[{"section": "b", "value": -10.0, "ramp": "1/4"}])
    assert heard[int(3.49 * RATE)] == 0
    assert level(heard, 3.75) == pytest.approx(-35, abs=0.3)


def test_points_hold_from_the_first_to_the_last() -> None:
    heard = gains(
        points=[
            {"at": "2|1", "value": -30.0},
            {"at": "3|1", "value": -10.0},
            {"at": "4|1", "value": -40.0, "shape": "hold"},
        ]
    )
    assert [level(heard, t) for t in (1.9, 2.0, 3.0, 5.0, 6.1)] == pytest.approx([-20, -30, -20, -10, -20], abs=0.1)


def test_a_throw_is_fully_open_at_its_time_and_closes_to_what_lies_below() -> None:
    heard = gains(
        sections=[{"section": "b", "value": -24.0}],
        throws=[{"at": "3|3", "length": "1/4", "value": -2.0, "ramp_in": "10ms", "ramp_out": "1/8"}],
    )
    assert level(heard, 4.98) == pytest.approx(-24, abs=1e-3)
    assert level(heard, 5.0) == pytest.approx(-2, abs=1e-3)
    assert level(heard, 5.48) == pytest.approx(-2, abs=1e-3)
    assert level(heard, 5.625) == pytest.approx(-13, abs=0.3)
    assert level(heard, 5.76) == pytest.approx(-24, abs=1e-3)


def test_a_switch_runs_as_a_level() -> None:
    heard = gains(own=True, param="on", sections=[{"section": "b", "value": False}])
    assert heard[int(3.9 * RATE)] == 1
    assert heard[int(4.0 * RATE)] == 0


def test_pan_runs_straight() -> None:
    heard = gains(own=-1.0, param="pan", sections=[{"section": "b", "value": 1.0, "ramp": "1000ms"}])
    assert heard[int(3.5 * RATE)] == pytest.approx(0, abs=0.01)


def test_blocks_change_no_bit_of_a_curve() -> None:
    document = make_document()
    curve = curve_of(plan_from_document(document), TARGET, -16.0)
    whole = curve.values(0, 500_000)
    edges = [0, 1, 1000, 167_990, 168_001, 192_000, 300_000, 500_000]
    parts = [curve.values(a, b) for a, b in pairwise(edges)]
    np.testing.assert_array_equal(np.concatenate(parts), whole)


def test_where_a_curve_stands_still_it_is_one_number() -> None:
    document = make_document()
    document["moves"] = [
        {"target": {"send": ["voice", "hall"], "param": "level_db"}, "sections": [{"section": "b", "value": -6.0}]}
    ]
    curve = curve_of(plan_from_document(document), TARGET, -20.0)
    boundary = 4 * RATE
    assert curve.between(0, boundary - AVERAGE) == pytest.approx(0.1)
    assert curve.between(boundary, boundary + RATE) == pytest.approx(10 ** (-6 / 20))
    np.testing.assert_array_equal(curve.between(0, boundary), curve.values(0, boundary))
