"""Values to words and words to values."""

import pytest

from highhall.plan import Filter
from highhall.plan.kinds import FILTER_PARAMETERS, KINDS, LEVEL, PAN, WIDTH
from highhall.timing import Milliseconds, NoteValue, Position
from highhall.wording import EntryError, Quantity, figure, in_beats, parse_length, position_in_words

DECAY = KINDS["reverb"].parameter("decay_s")
PRE_DELAY = KINDS["reverb"].parameter("pre_delay")
FEEDBACK = KINDS["echo"].parameter("feedback")
RATIO = KINDS["reverb"].parameter("low_ratio")
HZ = FILTER_PARAMETERS["hz"]
CUT = KINDS["echo"].parameter("low_cut_hz")
SLOPE = FILTER_PARAMETERS["slope_db_oct"]
VOICES = KINDS["chorus"].parameter("voices")
STEREO = KINDS["reverb"].parameter("stereo")
RATE = KINDS["chorus"].parameter("rate")


@pytest.mark.parametrize(
    ("parameter", "text", "value"),
    [
        (DECAY, "2.4", 2.4), (DECAY, "2,4 s", 2.4), (DECAY, " 800 ms ", 0.8), (LEVEL, "-6", -6.0), (LEVEL, "\N{MINUS SIGN}6.5 dB", -6.5),
        (LEVEL, "+3", 3.0), (LEVEL, "off", None), (LEVEL, "-inf", None), (LEVEL, "", None), (HZ, "2.5k", 2500.0), (HZ, "1 kHz", 1000.0),
        (HZ, "120hz", 120.0), (WIDTH, "120 %", 1.2), (WIDTH, "80", 0.8), (PAN, "-45", -0.45), (RATIO, "\N{MULTIPLICATION SIGN} 1.2", 1.2),
        (PRE_DELAY, "1/8.", NoteValue(1, 8, ".")), (PRE_DELAY, "1/16T", NoteValue(1, 16, "T")), (PRE_DELAY, "375 ms", Milliseconds(375)),
        (FEEDBACK, "-6.0206 dB", pytest.approx(0.5, rel=1e-4)), (FEEDBACK, "30", 0.3), (PRE_DELAY, "40", Milliseconds(40)), (PRE_DELAY, "0.2 s", Milliseconds(200)), (PRE_DELAY, "12,5 ms", Milliseconds(12.5)),
        (CUT, "off", None), (SLOPE, "24 dB/oct", 24), (VOICES, "3", 3), (STEREO, "no", False), (RATE, "1/2", NoteValue(1, 2)), (RATE, "0.4", 0.4),
    ],
)  # fmt: skip
def test_users_may_type_values_in_their_own_way(parameter, text: str, value) -> None:
    assert parameter.read(text) == value


@pytest.mark.parametrize(
    ("parameter", "text", "sentence"),
    [
        (DECAY, "", "Type a number from 0.1 to 30 s."), (DECAY, "31", "Type a number from 0.1 to 30 s."),
        (DECAY, "3 Hz", "Type a number from 0.1 to 30 s."), (LEVEL, "3 s", "Type a number"), (STEREO, "maybe", "Type on or off."),
        (SLOPE, "13", "Choose one of 6, 12, 18, 24."), (VOICES, "2.5", "Type a whole number from 1 to 4."), (RATE, "1/5", "Type a number of Hz, or a note value"),
        (DECAY, "1e3", "Type a number"), (DECAY, "nan", "Type a number"), (LEVEL, "25", "Type a number from \N{MINUS SIGN}120 to 24 dB."),
        (WIDTH, "300", "Type a number from 0 to 200 %."), (PRE_DELAY, "600 ms", "Type a time from 0 to 500 ms"),
        (PRE_DELAY, "1/7", "Type a note value such as 1/8."), (PRE_DELAY, "", "Type a note value"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_says_what_can(parameter, text: str, sentence: str) -> None:
    with pytest.raises(EntryError, match=sentence):
        parameter.read(text)


@pytest.mark.parametrize(
    ("parameter", "value"),
    [(DECAY, 2.4), (DECAY, 0.35), (LEVEL, -6.5), (LEVEL, None), (HZ, 2600.0), (WIDTH, 1.2), (PRE_DELAY, Milliseconds(12.5)), (PRE_DELAY, NoteValue(3, 16))],
)  # fmt: skip
def test_what_a_field_shows_can_be_typed_again(parameter, value) -> None:
    assert parameter.read(parameter.figure(value)) == value


def test_figures_have_a_real_minus_and_no_minus_zero() -> None:
    assert figure(-3.25) == "\N{MINUS SIGN}3.2"
    assert figure(-0.01) == "0.0"
    assert LEVEL.figure(None) == "\N{MINUS SIGN}\N{INFINITY}"


@pytest.mark.parametrize(
    ("quantity", "value", "words"),
    [
        (LEVEL, -6.0, "\N{MINUS SIGN}6.0 dB"), (LEVEL, None, "silence"), (CUT, None, "off"), (HZ, 2600.0, "2.6 kHz"), (HZ, 120.0, "120 Hz"),
        (PAN, -0.45, "\N{MINUS SIGN}45 %"), (PRE_DELAY, NoteValue(1, 8, "."), "1/8."), (PRE_DELAY, Milliseconds(12.5), "12.5 ms"),
        (STEREO, True, "on"), (SLOPE, 24, "24 dB/oct"), (KINDS["reverb"].parameter("space"), "hall", "hall"), (DECAY, 0.35, "0.35 s"),
        (KINDS["tone"].parameter("bands"), (Filter(shape="low_cut", hz=220.0), Filter(shape="bell", hz=2600.0, gain_db=-4.0, on=False)), "low cut 220 Hz, bell 2.6 kHz \N{MINUS SIGN}4.0 dB (off)"),
    ],
)  # fmt: skip
def test_a_value_is_told_in_one_way(quantity: Quantity, value: object, words: str) -> None:
    assert quantity.words(value) == words


@pytest.mark.parametrize(
    ("parameter", "text", "value"),
    [
        (PAN, "L30", -0.3), (PAN, "30 L", -0.3), (PAN, "r20", 0.2), (PAN, "C", 0.0), (PAN, "-45", -0.45), (PAN, "0.5 %", 0.005),
        (LEVEL, "u", 0.0), (LEVEL, "-inf", None), (LEVEL, "-6 dB", -6.0),
    ],
)  # fmt: skip
def test_levels_and_pans_are_typed_as_people_say_them(parameter, text: str, value: float | None) -> None:
    assert parameter.read(text) == (None if value is None else pytest.approx(value))


@pytest.mark.parametrize("text", [".5", "0.5", "-0,5"])
def test_a_bare_number_below_one_in_a_field_of_per_cent_is_asked_about(text: str) -> None:
    with pytest.raises(EntryError, match=r"meant as -?0\.5 % or as -?50 %\? Type it with its sign"):
        PAN.read(text)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1/8t", "1/8T"),
        ("1/4d", "1/4."),
        ("1/8 dotted", "1/8."),
        ("375", "375ms"),
        ("0.25 s", "250ms"),
        ("1/16", "1/16"),
    ],
)
def test_times_are_typed_as_people_say_them(text: str, value: str) -> None:
    assert str(parse_length(text)) == value


def test_beats_are_those_of_the_tempo() -> None:
    dotted = NoteValue(1, 4, ".")
    assert in_beats("0.5 beat", NoteValue(1, 4)) == "1/8"
    assert in_beats("2 beats", dotted) == "3/4"
    assert in_beats("1/8", dotted) == "1/8"
    with pytest.raises(EntryError, match=r"No note value lasts 0\.3 beats"):
        in_beats("0.3 beats", dotted)


def test_a_position_is_shown_with_a_decimal_where_the_sample_rate_makes_a_fraction_of_it() -> None:
    assert position_in_words(Position.parse("6|1+244/13357")) == "6|1.02"
    assert position_in_words(Position.parse("12|4")) == "12|4"
    assert position_in_words(Position.parse("12|4+1/3")) == "12|4.33"
