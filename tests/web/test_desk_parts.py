"""What stands between core and templates: typed text, fields, pictures, looks."""

from dataclasses import replace

import pytest

from hallweb.desk.charts import looks, section_strip, skyline
from hallweb.desk.entry import EntryError, entry_text, parse_entry
from hallweb.desk.fields import FieldContext, field_groups
from hallweb.desk.templatetags.figures import figure, level
from hallweb.desk.time_axis import TimeAxis
from highhall.plan import Plan, Return
from highhall.plan.edits import step_of_kind
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, LEVEL, PAN, WIDTH
from highhall.timing import Milliseconds, NoteValue, Position
from tests.core.plans import make_plan
from tests.core.signals import make_song

DECAY = KINDS["reverb"].parameter("decay_s")
PRE_DELAY = KINDS["reverb"].parameter("pre_delay")
FEEDBACK = KINDS["echo"].parameter("feedback")
RATIO = KINDS["reverb"].parameter("low_ratio")
HZ = next(p for p in BAND_PARAMETERS if p.name == "hz")


@pytest.mark.parametrize(
    ("parameter", "text", "value"),
    [
        (DECAY, "2.4", 2.4), (DECAY, "2,4 s", 2.4), (DECAY, " 800 ms ", 0.8), (LEVEL, "-6", -6.0), (LEVEL, "\N{MINUS SIGN}6.5 dB", -6.5),
        (LEVEL, "+3", 3.0), (LEVEL, "off", None), (LEVEL, "-inf", None), (LEVEL, "", None), (HZ, "2.5k", 2500.0), (HZ, "1 kHz", 1000.0),
        (HZ, "120hz", 120.0), (WIDTH, "120 %", 1.2), (WIDTH, "80", 0.8), (PAN, "-45", -0.45), (RATIO, "\N{MULTIPLICATION SIGN} 1.2", 1.2),
        (PRE_DELAY, "1/8.", NoteValue(1, 8, ".")), (PRE_DELAY, "1/16T", NoteValue(1, 16, "T")), (PRE_DELAY, "375 ms", Milliseconds(375)),
        (FEEDBACK, "-6.0206 dB", pytest.approx(0.5, rel=1e-4)), (FEEDBACK, "30", 0.3), (PRE_DELAY, "40", Milliseconds(40)), (PRE_DELAY, "0.2 s", Milliseconds(200)), (PRE_DELAY, "12,5 ms", Milliseconds(12.5)),
    ],
)  # fmt: skip
def test_users_may_type_values_in_their_own_way(parameter, text: str, value) -> None:
    assert parse_entry(parameter, text) == value


@pytest.mark.parametrize(
    ("parameter", "text", "sentence"),
    [
        (DECAY, "", "Type a number from 0.1 to 30 s."), (DECAY, "31", "Type a number from 0.1 to 30 s."),
        (DECAY, "1e3", "Type a number"), (DECAY, "nan", "Type a number"), (LEVEL, "25", "Type a number from \N{MINUS SIGN}120 to 24 dB."),
        (WIDTH, "300", "Type a number from 0 to 200 %."), (PRE_DELAY, "600 ms", "Type a time from 0 to 500 ms"),
        (PRE_DELAY, "1/7", "Type a note value such as 1/8."), (PRE_DELAY, "", "Type a note value"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_says_what_can(parameter, text: str, sentence: str) -> None:
    with pytest.raises(EntryError, match=sentence):
        parse_entry(parameter, text)


@pytest.mark.parametrize(
    ("parameter", "value"),
    [(DECAY, 2.4), (DECAY, 0.35), (LEVEL, -6.5), (LEVEL, None), (HZ, 2600.0), (WIDTH, 1.2), (PRE_DELAY, Milliseconds(12.5)), (PRE_DELAY, NoteValue(3, 16))],
)  # fmt: skip
def test_what_a_field_shows_can_be_typed_again(parameter, value) -> None:
    assert parse_entry(parameter, entry_text(parameter, value).replace("\N{INFINITY}", "inf")) == value


def test_figures_have_a_real_minus_and_no_minus_zero() -> None:
    assert figure(-3.25) == "\N{MINUS SIGN}3.2"
    assert figure(-0.01) == "0.0"
    assert level(None) == "\N{MINUS SIGN}\N{INFINITY}"


def reverb_return(**params: object) -> Return:
    return Return(id="r", name="R", chain=(step_of_kind("reverb", "space", {"space": "hall", **params}),))


def test_sections_are_drawn_to_scale_in_time() -> None:
    boxes = section_strip(make_plan().song, width=558)
    assert [(box.x, box.width) for box in boxes] == [(0, 558 / 4), (558 / 4, 558 / 4)]
    assert [box.bar for box in boxes] == [1, 3]


def test_instruments_keep_their_places_in_every_skyline() -> None:
    plan = make_plan()
    plate, hall = (skyline(plan, return_) for return_ in plan.returns)
    assert plate[0].x == hall[0].x  # the voice, first of the tracks, feeds both
    assert plate[0].title == "voice \N{MINUS SIGN}10.0 dB"


def test_every_return_looks_different_and_plates_look_like_plates() -> None:
    returns = [replace(reverb_return(decay_s=1.0), id=f"r{i}") for i in range(6)]
    given = looks(returns)
    assert {look.glyph for look in given.values()} == {"hall"}
    assert len({(look.tint, look.number) for look in given.values()}) == 6
    assert given["r0"].number == 0
    assert given["r1"].number == 2
    plate = Return(id="p", name="P", chain=(step_of_kind("reverb", "s", {"space": "plate", "decay_s": 1.0}),))
    assert looks([plate])["p"].tint == "plate"


def field_context(plan: Plan, **more: object) -> FieldContext:
    return FieldContext(plan=plan, axis=TimeAxis(plan.song), **more)


def test_fields_carry_the_other_unit() -> None:
    plan = replace(make_plan(), song=make_song(bpm=120.0))
    return_ = reverb_return(decay_s=1.0, pre_delay="1/16")
    groups = {group.name: group.fields for group in field_groups(return_, field_context(plan))}
    time = {field.label: field for field in groups["Time"]}
    assert (time["Pre-delay"].text, time["Pre-delay"].hint) == ("1/16", "125.0 ms")
    assert (time["Decay"].text, time["Decay"].hint) == ("1", "2.00 beats")
    assert {field.label for field in groups["Level"]} == {"Return", "Width", "Pan", "To"}


def test_a_field_with_a_fault_keeps_what_was_typed_and_what_holds() -> None:
    errors = {"step/space/decay_s": ("far", "Type a number from 0.1 to 30 s.")}
    groups = field_groups(reverb_return(decay_s=1.0), field_context(make_plan(), errors=errors))
    field = next(f for group in groups for f in group.fields if f.label == "Decay")
    assert (field.text, field.kept, field.error) == ("far", "1", "Type a number from 0.1 to 30 s.")


@pytest.mark.parametrize(
    ("times", "linked", "shown"),
    [(("1/8", "1/8"), None, True), (("1/8", "1/4"), None, False), (("1/8", "1/8"), False, False)],
)
def test_equal_times_are_linked_unless_it_is_said_otherwise(times, linked, shown) -> None:
    echo = Return(id="e", name="E", chain=(step_of_kind("echo", "echo", {"left": times[0], "right": times[1]}),))
    group = next(iter(field_groups(echo, field_context(make_plan(), linked=linked))))
    assert (group.sided, group.is_linked) == ("echo", shown)
    assert [f.text for f in group.fields if f.label == "Repeats"] == ["1"]


def test_what_a_field_is_reset_to_is_the_tables_default_or_where_a_new_one_begins() -> None:
    groups = {g.name: g.fields for g in field_groups(reverb_return(decay_s=9.0, size=2), field_context(make_plan()))}
    assert [f.initial for f in groups["Time"]] == ["0 ms", "1.5", "1.2", "0.5"]
    assert groups["Space"][0].initial == "1"


def test_positions_read_as_bars_and_beats() -> None:
    song = make_song(bpm=120.0)
    assert song.time.position_at_sample(48000 * 3) == Position(2, 3)
