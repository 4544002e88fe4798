"""Sends changed many at once."""

import pytest

from highhall.plan import PlanRefusedError, SendTarget
from highhall.plan.edits import (
    add_return_for,
    change_sends,
    clear_sends,
    effect_of_kind,
    nudge_sends,
    scale_sends,
    send_level,
    set_levels,
)
from tests.core.plans import make_plan

PLAN = make_plan()
VOICE_PLATE, VOICE_HALL, BAND_HALL = ("voice", "plate"), ("voice", "hall"), ("band", "hall")  # -10, -16, -12 dB
HARP_HALL = ("harp", "hall")


def levels(plan, *pairs, section=None):
    return [send_level(plan, pair, section) for pair in pairs]


def test_levels_are_set_and_what_is_missing_is_made() -> None:
    plan = set_levels(PLAN, {VOICE_HALL: -3.0, HARP_HALL: -20.0})
    assert levels(plan, VOICE_PLATE, VOICE_HALL, HARP_HALL) == [-10, -3, -20]
    assert plan.send("voice", "hall").send_point == "pre"  # all else stays


def test_levels_in_a_section_hold_there_alone() -> None:
    plan = set_levels(PLAN, {VOICE_PLATE: -4.0, HARP_HALL: -6.0}, section="a")
    assert levels(plan, VOICE_PLATE, HARP_HALL) == [-10, None]
    assert levels(plan, VOICE_PLATE, HARP_HALL, section="a") == [-4, -6]
    assert levels(plan, VOICE_PLATE, section="b") == [-10]


def test_a_nudge_keeps_differences_and_stops_where_levels_end() -> None:
    plan = nudge_sends(PLAN, [VOICE_PLATE, VOICE_HALL, HARP_HALL], 2.5)
    assert levels(plan, VOICE_PLATE, VOICE_HALL) == [-7.5, -13.5]
    assert plan.send(*HARP_HALL) is None
    assert levels(nudge_sends(PLAN, [VOICE_PLATE], 80), VOICE_PLATE) == [24]
    silent = set_levels(PLAN, {VOICE_PLATE: None})
    assert levels(nudge_sends(silent, [VOICE_PLATE], 6), VOICE_PLATE) == [None]


def test_a_nudge_in_a_section_starts_from_what_holds_there() -> None:
    plan = nudge_sends(PLAN, [VOICE_HALL, VOICE_PLATE], 1.0, section="b")
    assert levels(plan, VOICE_HALL, VOICE_PLATE, section="b") == [-5, -9]
    assert levels(plan, VOICE_HALL, VOICE_PLATE) == [-16, -10]


@pytest.mark.parametrize(
    ("share", "expected"), [(0.5, [-10, -13, -11]), (2.0, [-10, -22, -14]), (0.0, [-10, -10, -10])]
)
def test_scaling_draws_sends_to_the_loudest_or_away_from_it(share: float, expected: list[float]) -> None:
    pairs = [VOICE_PLATE, VOICE_HALL, BAND_HALL]
    assert levels(scale_sends(PLAN, pairs, share), *pairs) == expected


def test_taps_switches_and_pans_are_changed_and_sends_cleared_with_their_moves() -> None:
    pairs = [VOICE_PLATE, VOICE_HALL, HARP_HALL]
    plan = change_sends(PLAN, pairs, send_point="pre", on=False, pan=-0.5)
    assert [(s.send_point, s.on, s.pan) for s in plan.sends if s.source == "voice"] == [("pre", False, -0.5)] * 2
    assert plan.send(*BAND_HALL) == PLAN.send(*BAND_HALL)
    cleared = clear_sends(PLAN, pairs)
    assert [(s.source, s.target) for s in cleared.sends] == [BAND_HALL, ("plate", "hall")]
    assert cleared.move(SendTarget(source="voice", target="hall", param="level_db")) is None


def test_many_sends_that_would_close_a_loop_are_refused_and_none_is_made() -> None:
    with pytest.raises(PlanRefusedError, match="loop"):
        set_levels(PLAN, {HARP_HALL: -6.0, ("hall", "plate"): -6.0})


def test_a_return_is_made_for_some_instruments() -> None:
    space = effect_of_kind("reverb", "reverb", {"space": "room", "decay_s": 0.5})
    plan, key = add_return_for(PLAN, ["harp", "drum"], "Room", (space,), -12.0)
    assert [(s.source, s.level_db) for s in plan.sends_into(key)] == [("harp", -12), ("drum", -12)]
