"""Sets of returns: kept, read back, varied, and put into another song."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.plan import PlanRefusedError, plan_from_document
from highhall.plan.edits import (
    add_return,
    copy_return,
    effect_of_kind,
    exchange_effect,
    place_return,
    set_send,
    swap_sides,
)
from highhall.plan.order import feeding_path
from highhall.plan.sets import add_set, set_document, set_from_document, set_of, varied
from highhall.plan.starting_points import STARTING_SETS
from highhall.timing import LADDER, Milliseconds, NoteValue, steps_longer
from tests.core.plans import EXAMPLE

PLAN = plan_from_document(EXAMPLE)


def with_echo():
    echo = effect_of_kind("echo", "echo", {"left": "1/8.", "right": "250ms", "feedback": 0.3, "right_db": -3})
    duck = effect_of_kind("duck", "duck", {"key": "fiddle"})
    plan, _ = add_return(PLAN, "Echo", (echo, duck))
    return set_send(plan, "echo", "long-hall", level_db=-9.0)


def test_a_set_reads_back_as_it_was_written() -> None:
    kept = set_of(with_echo(), ["long-hall", "echo"], "Two", "For slow songs")
    assert [s.kind for s in kept.returns[1].chain] == ["echo"]  # what listens to this song's tracks stays behind
    assert len(kept.sends) == 1
    assert set_from_document(set_document(kept)) == kept


def test_a_set_comes_into_a_song_under_free_names_with_its_sends() -> None:
    plan = with_echo()
    added, ids = add_set(plan, set_of(plan, ["long-hall", "echo"], "Two"), output="strings")
    assert ids == ["long-hall-2", "echo-2"]
    assert [added.return_(i).output for i in ids] == ["strings", "strings"]
    send = added.send("echo-2", "long-hall-2")
    assert send is not None
    assert send.level_db == -9
    assert added.sends[: len(plan.sends)] == plan.sends


def test_a_varied_set_is_larger_and_its_times_are_a_step_longer() -> None:
    hall, echo = varied(set_of(with_echo(), ["long-hall", "echo"], "Two"), size=1.3, steps=1).returns
    assert hall.chain[0].number("decay_s") == pytest.approx(3.8 * 1.3)
    assert hall.chain[0].number("size") == pytest.approx(1.3)
    assert str(hall.chain[0].time("pre_delay")) == "1/8T"
    assert str(echo.chain[0].time("left")) == "1/4"
    assert echo.chain[0].time("right") == Milliseconds(314.98)


def test_a_step_up_and_down_the_ladder_leads_back() -> None:
    for note in LADDER[1:-1]:
        assert steps_longer(steps_longer(note, 1), -1) == note
    assert steps_longer(LADDER[-1], 1) == LADDER[-1]
    assert steps_longer(NoteValue(5, 8), 1) == NoteValue(1, 1, "T")  # 0.625 to 0.667
    assert steps_longer(NoteValue(5, 8), -1) == NoteValue(1, 2)


@given(st.floats(0.25, 4), st.integers(-4, 4), st.sampled_from(STARTING_SETS))
@settings(derandomize=True, max_examples=40, deadline=None)
def test_whatever_is_varied_is_still_a_set(size: float, steps: int, starting_set) -> None:
    plan, _ = add_set(
        PLAN, set_from_document({"format": "high-hall-returns", "version": 1, "name": "x", "returns": [{"id": "a"}]})
    )
    plan = plan_from_document({**EXAMPLE, "moves": [], "sends": [], "returns": []})
    kept = set_of(plan.__class__(song=plan.song, returns=starting_set.made()), [r.id for r in starting_set.made()], "x")
    changed = varied(kept, size=size, steps=steps)
    assert set_from_document(set_document(changed)) == changed


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": "other"}, "high-hall-returns"),
        ({"version": 2}, "expected version 1, got 2"),
        ({"name": ""}, "1 to 120 characters"),
        ({"returns": []}, "at least one return"),
        ({"extra": 1}, '"extra" is not part of a set'),
        ({"sends": [{"from": "long-hall", "to": "lost"}]}, "lost"),
        ({"note": 3}, "a text of up to"),
    ],
)
def test_what_is_no_set_is_refused_with_a_reason(change: dict[str, object], words: str) -> None:
    document = set_document(set_of(PLAN, ["long-hall"], "One"))
    with pytest.raises(PlanRefusedError, match=words):
        set_from_document({**document, **change})


def test_a_copied_return_keeps_its_moves_and_its_feeds_wait_switched_off() -> None:
    copied, new_id = copy_return(PLAN, "long-hall")
    assert new_id == "long-hall-2"
    assert [r.id for r in copied.returns] == ["long-hall", "long-hall-2"]
    assert copied.return_(new_id).chain == PLAN.return_("long-hall").chain
    assert [(s.source, s.on, s.level_db) for s in copied.sends_into(new_id)] == [("fiddle", False, -14.0)]
    assert len([m for m in copied.moves if m.target.target == new_id]) == 2


def test_returns_change_places_and_stop_at_the_ends() -> None:
    plan = with_echo()
    assert [r.id for r in place_return(plan, "echo", -1).returns] == ["echo", "long-hall"]
    assert place_return(plan, "echo", 1) == plan


def test_sides_are_swapped_with_all_that_belongs_to_them() -> None:
    effect = swap_sides(with_echo(), "echo", "echo").return_("echo").effect("echo")
    assert (str(effect.time("left")), str(effect.time("right"))) == ("250ms", "1/8.")
    assert (effect.number("left_db"), effect.number("right_db")) == (-3, 0)
    with pytest.raises(ValueError, match="no sides to swap"):
        swap_sides(PLAN, "long-hall", "space")


def test_the_way_by_which_a_return_already_feeds_another_is_named() -> None:
    plan = with_echo()
    assert feeding_path(plan, "echo", "long-hall") == ["echo", "long-hall"]
    assert feeding_path(plan, "long-hall", "echo") == []


def test_a_step_of_another_kind_takes_a_steps_place_without_its_moves() -> None:
    echo = effect_of_kind("echo", "echo", {"left": "1/8", "right": "1/8"})
    changed = exchange_effect(PLAN, "long-hall", "space", echo)
    assert [(s.id, s.kind) for s in changed.return_("long-hall").chain] == [("space", "echo"), ("tone", "tone")]
    assert len(changed.moves) == len(PLAN.moves) - 1  # its decay was moved
    plate = effect_of_kind("reverb", "reverb", {"space": "plate", "decay_s": 1.0})
    assert exchange_effect(PLAN, "long-hall", "space", plate).moves == PLAN.moves
