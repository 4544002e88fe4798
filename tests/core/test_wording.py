"""Values to words and words to values."""

import pytest

from highhall.plan import Filter
from highhall.plan.kinds import FILTER_PARAMETERS, KINDS, LEVEL, PAN, WIDTH
from highhall.timing import Milliseconds, NoteValue
from highhall.wording import EntryError, Quantity, figure

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
