"""What differs between two plans, and taking it over one by one."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highhall.demo.plan import demo_plan
from highhall.errors import CoreError
from highhall.plan import Plan, PlanRefusedError, Point, ReturnTarget, SendTarget, Throw, document_of
from highhall.plan.differences import differences, take_over
from highhall.plan.edits import (
    add_effect,
    add_return,
    clear_section_value,
    copy_return,
    effect_of_kind,
    place_return,
    remove_effect,
    remove_group,
    remove_return,
    remove_section,
    remove_send,
    remove_tracks,
    set_effect,
    set_group,
    set_return,
    set_section_value,
    set_send,
    set_tracks,
)
from highhall.plan.edits.moves import with_move
from highhall.plan.model import Move
from highhall.timing import NoteValue, Position
from tests.core.plans import make_plan

PLAN = make_plan()
DEMO = demo_plan()
VOICE_PLATE = SendTarget(source="voice", target="plate", param="level_db")


def told(plan: Plan, other: Plan) -> list[tuple[str, str, object, object]]:
    return [(d.place, d.what, d.before, d.after) for d in differences(plan, other)]


def test_equal_plans_do_not_differ() -> None:
    assert not differences(PLAN, PLAN)
    assert not differences(DEMO, demo_plan())


def test_values_are_told_with_their_place() -> None:
    other = set_send(PLAN, "voice", "plate", level_db=-7.5, send_point="pre")
    other = set_return(other, "hall", width=0.5)
    other = set_effect(other, "hall", "reverb", params={"decay_s": 5.0})
    names = PLAN.names
    place = f"{names['voice']} to {names['plate']}"
    assert told(PLAN, other) == [
        (names["hall"], "Width", PLAN.return_("hall").width, 0.5),
        (f"{names['hall']}, reverb", "Decay", PLAN.return_("hall").effect("reverb").number("decay_s"), 5.0),
        (place, "Level", -10.0, -7.5),
        (place, "Send point", "post", "pre"),
    ]


def test_what_follows_from_another_value_is_not_told() -> None:
    plan = set_return(PLAN, "hall", chain=(effect_of_kind("reverb", "space", {"space": "hall", "decay_s": 2}),))
    other = set_effect(plan, "hall", "space", params={"space": "cathedral"})  # its ratios follow the space
    assert [d.what for d in differences(plan, other)] == ["Space"]


def test_a_section_value_is_told_with_its_section() -> None:
    other = set_section_value(PLAN, VOICE_PLATE, "b", -3.0, ramp=NoteValue(1, 8))
    (difference,) = differences(PLAN, other)
    assert (difference.section, difference.before, difference.after) == (
        PLAN.song.section("b").name, "as in the song", -3.0,
    )  # fmt: skip
    (back,) = differences(other, PLAN)
    assert back.after == "as in the song"
    ramped = set_section_value(PLAN, VOICE_PLATE, "b", -3.0, ramp=NoteValue(1, 4))
    (ramp,) = differences(other, ramped)
    assert (ramp.what, ramp.before, ramp.after) == ("Ramp of level", "1/8 before", "1/4 before")
    assert not differences(take_over(other, ramped, ramp.key), ramped)


def test_a_return_that_is_new_comes_with_its_feeds_and_moves() -> None:
    echo = effect_of_kind("echo", "echo", {"left": "1/8", "right": "1/4"})
    other, key = add_return(PLAN, "Far Echo", (echo,))
    other = set_send(other, "voice", key, level_db=-9.0)
    target = SendTarget(source="voice", target=key, param="level_db")
    other = set_section_value(other, target, "a", -3.0)
    (difference,) = differences(PLAN, other)
    assert (difference.place, difference.before, difference.after) == ("Far Echo", "not there", "there")
    assert document_of(take_over(PLAN, other, difference.key)) == document_of(other)
    (gone,) = differences(other, PLAN)
    assert document_of(take_over(other, PLAN, gone.key)) == document_of(PLAN)


def test_what_cannot_be_taken_alone_is_refused_and_nothing_changes() -> None:
    grouped = next(track for track in DEMO.tracks if track.group)
    without = remove_group(DEMO, str(grouped.group))
    with pytest.raises(PlanRefusedError):
        take_over(without, DEMO, f"track/{grouped.id}/group")  # the group must come first
    with pytest.raises(CoreError, match="no longer there"):
        take_over(PLAN, PLAN, "send/voice/plate/level_db")


def _renamed(plan: Plan) -> Plan:
    return replace(plan, song=replace(plan.song, title="Another"))


def _thrown(plan: Plan) -> Plan:
    target = ReturnTarget(target="long-hall", param="level_db")
    throw = Throw(at=Position.parse("9|1"), length=NoteValue(1, 4), value=3.0)
    points = (Point(at=Position.parse("5|1"), value=-6.0), Point(at=Position.parse("6|1"), value=0.0))
    return with_move(plan, Move(target=target, points=points, throws=(throw,)))


EDITS = {
    "title": _renamed,
    "tempo": lambda p: replace(p, song=replace(p.song, tempos=(replace(p.song.tempos[0], bpm=60.0),))),
    "section": lambda p: remove_section(p, p.song.sections[-1].id),
    "level": lambda p: set_tracks(p, ["lead-voice", "harp"], level_db=-5.0),
    "track": lambda p: remove_tracks(p, ["shakers"]),
    "group": lambda p: remove_group(p, p.groups[-1].id),
    "tone": lambda p: set_group(p, p.groups[0].id, tone=()),
    "return": lambda p: set_return(p, "silver-plate", level_db=-3.0, pan=0.25, mute=True, output="main"),
    "decay": lambda p: set_effect(p, "long-hall", "space", params={"decay_s": 2.2, "size": 1.4}),
    "chain": lambda p: add_effect(p, "slap", effect_of_kind("drive", "drive", {})),
    "shorter": lambda p: remove_effect(p, "silver-plate", p.return_("silver-plate").chain[-1].id),
    "copy": lambda p: copy_return(p, "dotted-echo")[0],
    "gone": lambda p: remove_return(p, "widen"),
    "order": lambda p: place_return(p, "long-hall", -2),
    "send": lambda p: set_send(p, "harp", "long-hall", level_db=-9.0, send_point="pre", pan=-0.5, on=False),
    "unsent": lambda p: remove_send(p, p.sends[0].source, p.sends[0].target),
    "move": lambda p: set_section_value(p, SendTarget(source="lead-voice", target="long-hall", param="level_db"), p.song.sections[1].id, -2.0),
    "unmoved": lambda p: clear_section_value(p, p.moves[0].target, p.moves[0].sections[0].section) if p.moves[0].sections else p,
    "throw": _thrown,
}  # fmt: skip


def _sorted(plan: Plan) -> dict[str, object]:
    document = document_of(plan)
    for part in ("sends", "moves"):  # their order means nothing
        document[part].sort(key=repr)
    return document


@settings(max_examples=40, deadline=None, derandomize=True)
@given(st.lists(st.sampled_from(sorted(EDITS)), min_size=1, max_size=5, unique=True), st.booleans())
def test_taking_every_difference_over_makes_plans_equal(names: list[str], is_back: bool) -> None:
    plan, other = DEMO, DEMO
    for name in names:
        try:
            other = EDITS[name](other)
        except (CoreError, KeyError):  # the edit before took away what this one changes
            continue
    if is_back:
        plan, other = other, plan
    for _ in range(200):
        remaining = differences(plan, other)
        if not remaining:
            break
        plan = _take_first_that_goes(plan, other, [d.key for d in remaining])
    assert _sorted(plan) == _sorted(other)


def _take_first_that_goes(plan: Plan, other: Plan, keys: list[str]) -> Plan:
    for key in keys:
        try:
            return take_over(plan, other, key)
        except PlanRefusedError:
            continue
    raise AssertionError(f"none of {keys} can be taken")
