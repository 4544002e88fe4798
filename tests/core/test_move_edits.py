"""Gestures on moves as edits: cells, copies, swaps, throws at phrase ends, gaps, ringing out, rides made sparse."""

from functools import reduce

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.advise.rides import thinned
from highhall.advise.throws import PhraseEnd, ends_in, gap_throws, last_word_throw, phrase_ends, ring_out
from highhall.cli import main
from highhall.demo.plan import demo_plan
from highhall.errors import CoreError
from highhall.measure import Phrase
from highhall.plan import EffectTarget, Plan, PlanRefusedError, Point, ReturnTarget, Send, SendTarget, Throw, write_plan
from highhall.plan.edits import (
    add_throws,
    change_throws,
    clear_cells,
    copy_return,
    copy_section,
    nudge_cells,
    remove_move,
    remove_send,
    remove_throws,
    set_bends,
    set_cells,
    set_points,
    set_ramps,
    set_send,
    set_tracks,
    swap_returns,
)
from highhall.plan.edits.moves import own_value, value_in
from highhall.plan.move_table import move_rows, ramp_in_words
from highhall.timing import Milliseconds, NoteValue, Position
from tests.core.plans import make_plan

PLAN = make_plan()
PLATE = SendTarget(source="voice", target="plate", param="level_db")
HALL = SendTarget(source="voice", target="hall", param="level_db")  # -16 dB, in b -6 dB
MUTE = ReturnTarget(target="hall", param="mute")
DECAY = EffectTarget(target="hall", effect="reverb", param="decay_s")


def at(text: str) -> Position:
    return Position.parse(text)


def test_cells_get_values_and_keep_the_ramps_they_have() -> None:
    plan = set_cells(PLAN, {(HALL, "b"): -9.0, (PLATE, "a"): -3.0, (MUTE, "a"): True, (DECAY, "b"): 3.0})
    assert [value_in(plan, cell) for cell in ((HALL, "b"), (PLATE, "a"), (MUTE, "a"), (DECAY, "b"))] == [
        -9,
        -3,
        True,
        3,
    ]
    assert [value_in(plan, cell) for cell in ((HALL, "a"), (PLATE, "b"), (MUTE, "b"), (DECAY, "a"))] == [
        -16,
        -10,
        False,
        1.5,
    ]
    longer = set_ramps(plan, [(HALL, "b"), (HALL, "a")], NoteValue(1, 2), "after")
    again = set_cells(longer, {(HALL, "b"): -8.0})
    (value,) = again.move(HALL).sections
    assert (value.value, value.ramp, value.ramp_side) == (-8, NoteValue(1, 2), "after")
    assert set_ramps(again, [(HALL, "b")], None, "before").move(HALL).sections[0].ramp is None
    with pytest.raises(CoreError, match="set a value first"):
        set_ramps(PLAN, [(PLATE, "a")], NoteValue(1, 2), "before")
    with pytest.raises(PlanRefusedError):
        set_cells(PLAN, {(HALL, "a"): 99.0})


def test_ramps_are_bent_where_they_are_and_where_values_glide() -> None:
    bent = set_bends(PLAN, [(HALL, "b"), (HALL, "a")], 0.4)
    assert bent.move(HALL).sections[0].ramp_bend == 0.4
    assert set_cells(bent, {(HALL, "b"): -8.0}).move(HALL).sections[0].ramp_bend == 0.4
    assert ramp_in_words(bent.move(HALL).sections[0]) == "1/8 before, bent by +40 %"
    jumps = set_ramps(PLAN, [(HALL, "b")], None, "before")
    with pytest.raises(CoreError, match="only a ramp can be bent"):
        set_bends(jumps, [(HALL, "b")], 0.4)
    with pytest.raises(PlanRefusedError, match=r"-0\.9 to 0\.9"):
        set_bends(PLAN, [(HALL, "b")], 1.0)
    pre_delay = EffectTarget(target="hall", effect="reverb", param="pre_delay")
    timed = set_cells(PLAN, {(pre_delay, "b"): Milliseconds(20.0)})
    with pytest.raises(PlanRefusedError, match="Pre-delay cross-fades"):
        set_bends(timed, [(pre_delay, "b")], 0.4)


def test_clearing_a_moves_last_cell_ends_the_move() -> None:
    assert clear_cells(PLAN, [(HALL, "b"), (PLATE, "a")]).move(HALL) is None
    assert remove_move(PLAN, HALL).move(HALL) is None


def test_own_values_are_found_of_sends_returns_steps_and_bands() -> None:
    band = EffectTarget(target="hall", effect="tone", param="bands/0/hz")
    assert [own_value(PLAN, t) for t in (HALL, MUTE, DECAY, band)] == [-16, False, 1.5, 200]
    with pytest.raises(KeyError):
        own_value(PLAN, SendTarget(source="harp", target="plate", param="level_db"))


def test_a_nudge_moves_levels_only_and_stops_where_they_end() -> None:
    plan = nudge_cells(PLAN, [(HALL, "b"), (PLATE, "b"), (MUTE, "b")], 2.0)
    assert (value_in(plan, (HALL, "b")), value_in(plan, (PLATE, "b"))) == (-4, -8)
    assert plan.move(MUTE) is None
    assert value_in(nudge_cells(PLAN, [(HALL, "b")], 90), (HALL, "b")) == 24


def test_a_section_is_made_like_another_2_db_louder() -> None:
    plan = copy_section(PLAN, [HALL, PLATE], "b", "a", add_db=2.0)
    assert (value_in(plan, (HALL, "a")), value_in(plan, (PLATE, "a"))) == (-4, -8)


def test_two_returns_change_places_in_a_section() -> None:
    plan = swap_returns(PLAN, "plate", "hall", "b")
    assert (value_in(plan, (HALL, "b")), value_in(plan, (PLATE, "b"))) == (
        -13,
        -3,
    )  # the plate is fed behind a fader at -3 dB
    assert (value_in(plan, (HALL, "a")), value_in(plan, (PLATE, "a"))) == (-16, -10)
    assert swap_returns(plan, "hall", "plate", "b").move(PLATE).sections[0].value == -10
    with pytest.raises(CoreError, match="nothing to swap"):
        swap_returns(PLAN, "hall-8", "hall-9", "b")


def fed_alike(plan: Plan, send: Send) -> Plan:
    return set_send(plan, send.source, "hall-2", on=send.on)


def test_feeds_that_are_switched_off_are_swapped_as_they_are_heard() -> None:
    plan, copied = copy_return(PLAN, "hall")
    swapped = swap_returns(plan, "hall", copied, "b")
    for source in {send.source for send in plan.sends_into("hall")}:
        for target, is_on in (("hall", False), (copied, True)):
            at = SendTarget(source=source, target=target, param="on")
            assert (value_in(swapped, (at, "a")), value_in(swapped, (at, "b"))) == (not is_on, is_on)
    with pytest.raises(CoreError, match="change nothing"):
        swap_returns(reduce(fed_alike, plan.sends_into("hall"), plan), "hall", copied, "a")


def test_a_source_that_feeds_one_of_them_feeds_the_other_there() -> None:
    plan = remove_send(PLAN, "voice", "plate")
    swapped = swap_returns(plan, "plate", "hall", "b")
    on = SendTarget(source="voice", target="plate", param="on")
    assert (value_in(swapped, (on, "a")), value_in(swapped, (on, "b"))) == (False, True)
    assert value_in(swapped, (PLATE, "b")) == value_in(plan, (HALL, "b"))


def test_levels_make_up_for_a_fader_between_two_send_points() -> None:
    plan = set_tracks(PLAN, ["voice"], level_db=-4.0)
    assert [plan.send("voice", target).send_point for target in ("hall", "plate")] == ["pre", "post"]
    swapped = swap_returns(plan, "plate", "hall", "b")  # the hall is fed at -6 dB there, the plate at -10 - 4
    assert (value_in(swapped, (HALL, "b")), value_in(swapped, (PLATE, "b"))) == (-14, -2)
    with pytest.raises(CoreError, match="is closed"):
        swap_returns(set_tracks(PLAN, ["voice"], mute=True), "plate", "hall", "b")


def test_throws_are_added_changed_as_a_set_and_removed() -> None:
    throws = [Throw(at=at(f"{bar}|1"), length=NoteValue(1, 4), value=0.0) for bar in (1, 2, 3)]
    plan = add_throws(PLAN, PLATE, throws)
    instead = Throw(at=at("2|1.5"), length=NoteValue(1, 4), value=-2.0)
    plan = add_throws(plan, PLATE, [instead])  # it overlaps the second one
    assert [t.at for t in plan.move(PLATE).throws] == [at("1|1"), at("2|1.5"), at("3|1")]
    plan = change_throws(plan, PLATE, [at("1|1"), at("3|1")], value=-5.0, ramp_out=NoteValue(1, 8))
    assert [t.value for t in plan.move(PLATE).throws] == [-5, -2, -5]
    assert [t.at for t in remove_throws(plan, PLATE, [at("1|1")]).move(PLATE).throws] == [at("2|1.5"), at("3|1")]
    with pytest.raises(CoreError, match="no longer there"):
        change_throws(plan, PLATE, [at("4|1")], value=0.0)


PHRASES = (Phrase(start_s=0.5, end_s=1.5), Phrase(start_s=1.8, end_s=3.0), Phrase(start_s=5.0, end_s=6.0))
ENDS = phrase_ends(PHRASES, 0.25, lambda phrase: phrase.end_s - 0.4)


def test_phrase_ends_lie_in_the_song_with_what_follows() -> None:
    assert ENDS[0] == PhraseEnd(word_s=pytest.approx(1.35), end_s=1.75, next_s=pytest.approx(2.05))
    assert ENDS[2].next_s is None
    sections = PLAN.song.sections  # 0 to 4 s, 4 to 8 s
    assert [len(ends_in(PLAN.song, ENDS, s)) for s in (*sections, None)] == [2, 1, 3]
    assert ends_in(PLAN.song, ENDS, None, every=2) == [ENDS[1]]


def test_a_last_word_is_thrown_by_note_or_until_the_next_phrase() -> None:
    time = PLAN.song.time
    throw = last_word_throw(PLAN.song, ENDS[0], None, 0.0, NoteValue(1, 4), None, None)
    assert time.seconds_at(throw.at) == pytest.approx(1.35, abs=1e-4)
    assert throw.length == NoteValue(1, 4)
    until = last_word_throw(PLAN.song, ENDS[1], None, 0.0, None, None, None)
    assert time.seconds_after(until.length, until.at) == pytest.approx(5.25, abs=1e-3)
    inside = last_word_throw(PLAN.song, ENDS[1], PLAN.song.sections[0], 0.0, None, None, None)
    assert time.seconds_after(inside.length, inside.at) == pytest.approx(4.0, abs=1e-3)


def spans_of(throws: list[Throw]) -> list[tuple[float, float]]:
    time = PLAN.song.time
    return [(time.seconds_at(throw.at), time.seconds_after(throw.length, throw.at)) for throw in throws]


def test_gaps_are_filled_only_where_the_source_is_silent() -> None:
    ramp = Milliseconds(100)
    throws = gap_throws(PLAN.song, ENDS, None, 0.0, ramp, ramp)
    spans = spans_of(throws)
    assert spans[0] == pytest.approx((3.25, 5.15), abs=1e-3)  # the first gap, of 0.3 s, is no gap
    assert spans[1] == pytest.approx((6.25, 15.9), abs=1e-3)  # to the end of the song
    add_throws(PLAN, PLATE, throws)


def test_gaps_are_filled_inside_the_section_that_is_chosen() -> None:
    first, second = (gap_throws(PLAN.song, ENDS, section, 0.0, None, None) for section in PLAN.song.sections)
    assert spans_of(first) == [pytest.approx((3.25, 4.0), abs=1e-3)]  # the gap goes on in the second, at 4 s
    assert spans_of(second) == [pytest.approx((4.0, 5.25), abs=1e-3), pytest.approx((6.25, 8.0), abs=1e-3)]


def test_the_song_rings_out_beyond_its_end_and_a_section_to_its_own() -> None:
    throw = ring_out(PLAN.song, ENDS, None, 0.0, None)
    assert PLAN.song.time.seconds_after(throw.length, throw.at) > 16
    assert spans_of([ring_out(PLAN.song, ENDS, PLAN.song.sections[0], 0.0, None)])[0][1] == pytest.approx(4.0, abs=1e-3)
    with pytest.raises(CoreError, match="no phrase"):
        ring_out(PLAN.song, (), None, 0.0, None)


def test_nothing_is_put_behind_the_end_of_the_song() -> None:
    late = Position.parse("99|1")
    with pytest.raises(CoreError, match=r"99\|1 lies behind the end of the song, 9\|1"):
        add_throws(PLAN, PLATE, [Throw(at=late, length=NoteValue(1, 4), value=0.0)])
    with pytest.raises(CoreError, match=r"99\|1 lies behind"):
        set_points(PLAN, PLATE, [Point(at=late, value=0.0)])
    plan = add_throws(PLAN, PLATE, [Throw(at=Position(2), length=NoteValue(1, 4), value=0.0)])
    with pytest.raises(CoreError, match=r"99\|1 lies behind"):
        change_throws(plan, PLATE, [Position(2)], at=late)


def test_points_replace_points_in_order() -> None:
    points = [Point(at=at("3|1"), value=-3.0), Point(at=at("2|1"), value=-9.0)]
    plan = set_points(PLAN, PLATE, points)
    assert [p.at for p in plan.move(PLATE).points] == [at("2|1"), at("3|1")]
    assert set_points(plan, PLATE, []).move(PLATE) is None


@settings(derandomize=True, max_examples=60, deadline=None)
@given(st.lists(st.floats(-40, 6), min_size=1, max_size=60), st.floats(0.1, 3))
def test_a_thinned_ride_stays_within_its_tolerance(values: list[float], tolerance: float) -> None:
    times = [0.05 * n for n in range(len(values))]
    kept = thinned(times, values, tolerance)
    drawn = np.interp(times, [times[i] for i in kept], [values[i] for i in kept])
    assert np.abs(drawn - values).max() <= tolerance + 1e-9
    assert kept[0] == 0
    assert kept[-1] == len(values) - 1


def test_a_straight_ride_needs_its_ends_only() -> None:
    assert thinned([0.0, 0.1, 0.2, 0.3, 0.4], [0.0, 1.0, 2.0, 3.0, 3.0], 0.01) == [0, 3, 4]


def test_moves_are_told_as_a_table(tmp_path, capsys) -> None:
    plan = add_throws(PLAN, HALL, [Throw(at=at("2|1"), length=NoteValue(1, 4), value=None, ramp_in=NoteValue(1, 16))])
    plan = set_points(plan, DECAY, [Point(at=at("1|1"), value=1.0), Point(at=at("2|1"), value=2.0, shape="hold")])
    assert [(row.where, row.value) for row in move_rows(plan)] == [
        ("b", "\N{MINUS SIGN}6.0 dB, 1/8 before"), ("2|1 for 1/4", "silence, in by 1/16"), ("1|1", "1 s"), ("2|1", "2 s, hold"),
    ]  # fmt: skip
    path = tmp_path / "plan.json"
    path.write_text(write_plan(plan))
    assert main(["moves", str(path)]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[0].split("  ")[0] == "level_db of voice to hall"
    assert len(lines) == 4
    path.write_text(write_plan(set_send(remove_move(plan, HALL), "voice", "hall", level_db=-3.0)))
    assert main(["moves", str(path), "--json"]) == 0
    assert '"decay_s of hall, reverb"' in capsys.readouterr().out


def test_the_demo_song_moves_in_every_way() -> None:
    plan = demo_plan()
    assert any(move.throws for move in plan.moves)
    assert any(move.points for move in plan.moves)
    assert any(isinstance(move.target, EffectTarget) for move in plan.moves)
    assert any(isinstance(move.target, ReturnTarget) for move in plan.moves)
    assert len([move for move in plan.moves if isinstance(move.target, SendTarget)]) >= 4
