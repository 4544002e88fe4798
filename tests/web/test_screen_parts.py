"""What stands between core and templates: fields, pictures, styles."""

from dataclasses import replace

import pytest

from hallweb.screens.common.charts import feed_bars, section_boxes, styles
from hallweb.screens.returns.fields import FieldContext, field_groups
from hallweb.screens.returns.time_axis import TimeAxis
from highhall.plan import Plan, Return
from highhall.plan.edits import effect_of_kind
from highhall.timing import Position
from tests.core.plans import make_plan
from tests.core.signals import make_song


def reverb_return(**params: object) -> Return:
    return Return(id="r", name="R", chain=(effect_of_kind("reverb", "space", {"space": "hall", **params}),))


def test_sections_are_drawn_to_scale_in_time() -> None:
    boxes = section_boxes(make_plan().song, width=558)
    assert [(box.x, box.width) for box in boxes] == [(0, 558 / 4), (558 / 4, 558 / 4)]
    assert [box.bar for box in boxes] == [1, 3]


def test_instruments_keep_their_places_in_every_skyline() -> None:
    plan = make_plan()
    plate, hall = (feed_bars(plan, return_) for return_ in plan.returns)
    assert plate[0].x == hall[0].x  # the voice, first of the tracks, feeds both
    assert plate[0].title == "voice \N{MINUS SIGN}10.0 dB"


def test_every_return_looks_different_and_plates_look_like_plates() -> None:
    returns = [replace(reverb_return(decay_s=1.0), id=f"r{i}") for i in range(6)]
    given = styles(returns)
    assert {style.glyph for style in given.values()} == {"hall"}
    assert len({(style.tint, style.number) for style in given.values()}) == 6
    assert given["r0"].number == 0
    assert given["r1"].number == 2
    plate = Return(id="p", name="P", chain=(effect_of_kind("reverb", "s", {"space": "plate", "decay_s": 1.0}),))
    assert styles([plate])["p"].tint == "plate"


def field_context(plan: Plan, **more: object) -> FieldContext:
    return FieldContext(plan=plan, axis=TimeAxis(plan.song), **more)


def test_fields_carry_the_other_unit() -> None:
    plan = replace(make_plan(), song=make_song(bpm=120.0))
    return_ = reverb_return(decay_s=1.0, pre_delay="1/16")
    groups = {group.name: group.fields for group in field_groups(return_, field_context(plan))}
    time = {field.label: field for field in groups["Time"]}
    assert (time["Pre-delay"].text, time["Pre-delay"].hint) == ("1/16", "125.0 ms")
    assert (time["Decay"].text, time["Decay"].hint) == ("1", "2.00 beats")
    assert {field.label for field in groups["Level"]} == {"Level", "Width", "Pan", "Output", "Heading over it"}


def test_a_field_with_a_fault_keeps_what_was_typed_and_what_holds() -> None:
    errors = {"effect/space/decay_s": ("far", "Type a number from 0.1 to 30 s.")}
    groups = field_groups(reverb_return(decay_s=1.0), field_context(make_plan(), errors=errors))
    field = next(f for group in groups for f in group.fields if f.label == "Decay")
    assert (field.text, field.kept, field.error) == ("far", "1", "Type a number from 0.1 to 30 s.")


@pytest.mark.parametrize(
    ("times", "linked", "shown"),
    [(("1/8", "1/8"), None, True), (("1/8", "1/4"), None, False), (("1/8", "1/8"), False, False)],
)
def test_equal_times_are_linked_unless_it_is_said_otherwise(times, linked, shown) -> None:
    echo = Return(id="e", name="E", chain=(effect_of_kind("echo", "echo", {"left": times[0], "right": times[1]}),))
    group = next(iter(field_groups(echo, field_context(make_plan(), linked=linked))))
    assert (group.sided, group.is_linked) == ("echo", shown)
    assert [f.text for f in group.fields if f.label == "Repeats"] == ["1"]


def test_what_a_field_is_reset_to_is_the_tables_default_or_where_a_new_one_begins() -> None:
    groups = {g.name: g.fields for g in field_groups(reverb_return(decay_s=9.0, size=2), field_context(make_plan()))}
    assert [f.initial for f in groups["Time"]] == ["0 ms", "1.5", "1.2", "250", "0.5", "4000"]
    assert groups["Space"][0].initial == "1"


def test_positions_read_as_bars_and_beats() -> None:
    song = make_song(bpm=120.0)
    assert song.time.position_at_sample(48000 * 3) == Position(2, 3)
