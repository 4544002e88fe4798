"""What stands between core and templates: typed text, fields, pictures, looks."""

from dataclasses import replace

import numpy as np
import pytest

from hallweb.desk.charts import (
    BEAT_PX,
    HIT_X,
    looks,
    section_strip,
    skyline,
    time_grid,
    time_picture,
    tone_picture,
)
from hallweb.desk.echo_charts import echo_picture
from hallweb.desk.entry import EntryError, entry_text, parse_entry
from hallweb.desk.fields import field_groups
from hallweb.desk.templatetags.figures import figure, level
from highhall.effects.tone import response_db
from highhall.plan import Band, Return, Step
from highhall.plan.edits import step_of_kind
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, LEVEL, PAN, WIDTH
from highhall.timing import Milliseconds, NoteValue, Position
from tests.core.plans import make_plan
from tests.core.signals import make_song

DECAY = KINDS["reverb"].parameter("decay_s")
PRE_DELAY = KINDS["reverb"].parameter("pre_delay")
RATIO = KINDS["reverb"].parameter("low_ratio")
HZ = next(p for p in BAND_PARAMETERS if p.name == "hz")


@pytest.mark.parametrize(
    ("parameter", "text", "value"),
    [
        (DECAY, "2.4", 2.4), (DECAY, "2,4 s", 2.4), (DECAY, " 800 ms ", 0.8), (LEVEL, "-6", -6.0), (LEVEL, "\N{MINUS SIGN}6.5 dB", -6.5),
        (LEVEL, "+3", 3.0), (LEVEL, "off", None), (LEVEL, "-inf", None), (LEVEL, "", None), (HZ, "2.5k", 2500.0), (HZ, "1 kHz", 1000.0),
        (HZ, "120hz", 120.0), (WIDTH, "120 %", 1.2), (WIDTH, "80", 0.8), (PAN, "-45", -0.45), (RATIO, "\N{MULTIPLICATION SIGN} 1.2", 1.2),
        (PRE_DELAY, "1/8.", NoteValue(1, 8, ".")), (PRE_DELAY, "1/16T", NoteValue(1, 16, "T")), (PRE_DELAY, "375 ms", Milliseconds(375)),
        (PRE_DELAY, "40", Milliseconds(40)), (PRE_DELAY, "0.2 s", Milliseconds(200)), (PRE_DELAY, "12,5 ms", Milliseconds(12.5)),
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


def test_the_time_picture_is_drawn_to_scale() -> None:
    """At 120 a beat is 0.5 s and 136 px."""
    plan = replace(make_plan(), song=make_song(bpm=120.0))
    picture = time_picture(plan, reverb_return(decay_s=1.0, pre_delay="1/8", low_ratio=1.5, high_ratio=0.5))
    assert picture is not None
    assert picture.start_x == pytest.approx(HIT_X + 0.5 * BEAT_PX)
    assert picture.end_x == pytest.approx(HIT_X + 2.5 * BEAT_PX)
    assert picture.low_end_x == pytest.approx(HIT_X + 3.5 * BEAT_PX)
    assert picture.high_end_x == pytest.approx(HIT_X + 1.5 * BEAT_PX)
    assert (picture.pre_delay, picture.decay) == ("1/8 250 ms", "1.0 s")
    assert (picture.reading, picture.verdict) == ("Tail rings", "0.5 beats past the next backbeat")


@pytest.mark.parametrize(
    ("decay_s", "reading", "verdict"),
    [(0.6, "Tail clears", "0.8 beats before the next backbeat"), (1.0, "Tail ends", "on the next backbeat")],
)
def test_the_reading_names_the_musical_event(decay_s: float, reading: str, verdict: str) -> None:
    plan = replace(make_plan(), song=make_song(bpm=120.0))
    picture = time_picture(plan, reverb_return(decay_s=decay_s))
    assert picture is not None
    assert (picture.reading, picture.verdict) == (reading, verdict)


def test_a_meter_without_a_backbeat_is_told_in_beats() -> None:
    from highhall.timing import Meter

    song = replace(make_song(), meters=(Meter(1, 3, 4),))
    assert [line.label for line in time_grid(song) if line.label] == ["1 beat", "2 beats", "3 beats", "4 beats"]
    picture = time_picture(replace(make_plan(), song=song), reverb_return(decay_s=0.5))
    assert picture is not None
    assert picture.verdict.endswith("the second beat")


def echo_return(**params: object) -> Return:
    return Return(id="e", name="E", chain=(step_of_kind("echo", "echo", params),))


def test_the_echo_picture_has_every_repeat_at_its_beat_and_level() -> None:
    picture = echo_picture(make_plan(), echo_return(left="1/4", right="1/2", feedback=0.5))
    assert picture is not None
    lefts = [r for r in picture.repeats if r.is_left]
    assert [r.x for r in lefts[:3]] == pytest.approx([HIT_X + BEAT_PX * n for n in (1, 2, 3)])
    assert [r.large_y for r in lefts[:2]] == pytest.approx([36.0, 36 + 120 * 6.0206 / 60], abs=0.01)
    assert [r.small_y for r in lefts[:1]] == pytest.approx([8.0])
    assert next(r.x for r in picture.repeats if not r.is_left) == pytest.approx(HIT_X + 2 * BEAT_PX)
    assert picture.times == "left 1/4, right 1/2"
    assert picture.count.startswith("10 repeats over")  # five a side lie over -30 dB
    assert "past" in picture.verdict


def test_one_repeat_clears_and_an_echo_before_a_space_makes_its_tail_longer() -> None:
    picture = echo_picture(make_plan(), echo_return(left="1/8", right="1/8"))
    assert picture is not None
    assert (picture.reading, picture.count[:9]) == ("Repeats clear", "2 repeats")
    both = Return(
        id="b", name="B", chain=(*echo_return(left="1/8", right="1/8").chain, *reverb_return(decay_s=1.0).chain)
    )
    plain = time_picture(make_plan(), reverb_return(decay_s=1.0))
    longer = time_picture(make_plan(), both)
    assert plain is not None
    assert longer is not None
    assert (plain.verdict, longer.verdict) == ("on the next backbeat", "0.5 beats past the next backbeat")


def test_a_chain_without_a_space_has_no_time_picture() -> None:
    assert time_picture(make_plan(), Return(id="r", name="R")) is None


def test_the_tone_curve_passes_through_the_filters_gain() -> None:
    bands = (Band(shape="low_cut", hz=200.0), Band(shape="bell", hz=2000.0, gain_db=6.0, q=1.0))
    plan = make_plan()
    return_ = Return(id="r", name="R", chain=(Step(id="t", kind="tone", params={"bands": bands}),))
    picture = tone_picture(plan, return_, 428, 168)
    for point in picture.points.split()[::20]:
        x, y = map(float, point.split(","))
        hz = 40 * 400 ** (x / 428)
        db = float(response_db(bands, np.array([hz]), 48000)[0])
        assert y == pytest.approx(np.clip((12 - db) / 48 * 168, 0, 168), abs=0.3)
    assert [mark.name for mark in picture.marks] == ["Low cut 200 Hz", "Bell 2 kHz"]
    assert not picture.is_flat


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


def test_fields_carry_the_other_unit() -> None:
    plan = replace(make_plan(), song=make_song(bpm=120.0))
    groups = {
        group.name: group.fields for group in field_groups(plan, reverb_return(decay_s=1.0, pre_delay="1/16"), {})
    }
    time = {field.label: field for field in groups["Time"]}
    assert (time["Pre-delay"].text, time["Pre-delay"].hint) == ("1/16", "125.0 ms")
    assert (time["Decay"].text, time["Decay"].hint) == ("1", "2.00 beats")
    assert {field.label for field in groups["Level"]} == {"Return", "Width", "Pan", "To"}


def test_a_field_with_a_fault_keeps_what_was_typed_and_what_holds() -> None:
    errors = {"step/space/decay_s": ("far", "Type a number from 0.1 to 30 s.")}
    groups = field_groups(make_plan(), reverb_return(decay_s=1.0), errors)
    field = next(f for group in groups for f in group.fields if f.label == "Decay")
    assert (field.text, field.kept, field.error) == ("far", "1", "Type a number from 0.1 to 30 s.")


def test_positions_read_as_bars_and_beats() -> None:
    song = make_song(bpm=120.0)
    assert song.time.position_at_sample(48000 * 3) == Position(2, 3)
