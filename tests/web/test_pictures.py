"""The pictures of returns: drawn to scale, true to the sound, and with handles where values are."""

from dataclasses import replace

import numpy as np
import pytest

from hallweb.screens.returns.filter_labels import placed_labels
from hallweb.screens.returns.handles import Drag
from hallweb.screens.returns.time_axis import HIT_X, WIDTH, TimeAxis
from hallweb.screens.returns.time_pictures import time_picture
from hallweb.screens.returns.time_scale import FLOOR_Y, PX_PER_DB, TOP_Y
from hallweb.screens.returns.tone_pictures import HIGH_HZ, LARGE, LOW_HZ, filters_of, tone_picture
from highhall.effects.tone import response_db
from highhall.measure.pictures import hit_response, picture_of
from highhall.plan import Effect, Filter, Return, Tempo
from highhall.plan.edits import effect_of_kind
from highhall.timing import Meter, Position
from tests.core.signals import RATE, make_song

SONG = make_song(bpm=120.0)  # a beat is 0.5 s and 136 px
AXIS = TimeAxis(SONG)
BEAT_PX = 136.0


def reverb_return(**params: object) -> Return:
    return Return(id="r", name="R", chain=(effect_of_kind("reverb", "space", {"space": "hall", **params}),))


def echo_return(**params: object) -> Return:
    return Return(id="e", name="E", chain=(effect_of_kind("echo", "echo", params),))


def toned(*filters: Filter) -> Return:
    return Return(id="r", name="R", chain=(Effect(id="t", kind="tone", params={"bands": filters}),))


def value_at(drag: Drag, px: float) -> float:
    share = px / drag.size
    return (
        drag.start * (drag.end / drag.start) ** share if drag.is_log else drag.start + (drag.end - drag.start) * share
    )


def test_the_slope_is_drawn_to_scale() -> None:
    picture = time_picture(reverb_return(decay_s=1.0, pre_delay="1/8", low_ratio=1.5, high_ratio=0.5), AXIS)
    slope = picture.slope
    assert slope is not None
    places = [slope.start_x, slope.end_x, slope.low_end_x, slope.high_end_x]
    assert places == pytest.approx([HIT_X + BEAT_PX * beats for beats in (0.5, 2.5, 3.5, 1.5)])
    assert (slope.pre_delay, slope.decay) == ("1/8 250 ms", "1.00 s")
    assert (picture.reading, picture.verdict) == ("Tail rings", "0.5 beats past the next backbeat")


@pytest.mark.parametrize(
    ("pre_delay", "decay_s", "at", "anchor"),
    [
        ("0ms", 1.0, HIT_X + BEAT_PX, "middle"),
        ("0ms", 6.0, HIT_X + WIDTH / 2, "middle"),
        ("0ms", 0.3, HIT_X + 0.6 * BEAT_PX + 9, "start"),
        ("1/2.", 0.3, HIT_X + 3 * BEAT_PX - 9, "end"),
    ],
)
def test_the_decays_figure_stands_on_its_line_or_beside_one_too_short_for_it(
    pre_delay: str, decay_s: float, at: float, anchor: str
) -> None:
    slope = time_picture(reverb_return(decay_s=decay_s, pre_delay=pre_delay), AXIS).slope
    assert slope is not None
    assert slope.figure == (pytest.approx(at), anchor)


@pytest.mark.parametrize("beats", [4, 2, 1])
def test_fewer_beats_are_drawn_larger(beats: int) -> None:
    axis = TimeAxis(SONG, beats=beats)
    assert axis.x(0.5) == pytest.approx(HIT_X + WIDTH / beats)
    assert axis.lines[-1].x == pytest.approx(HIT_X + WIDTH)


def test_the_axis_follows_the_tempo_where_the_song_is() -> None:
    song = make_song(tempos=(Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(3), bpm=60.0)))
    assert TimeAxis(song, Position(2)).beat_s == pytest.approx(0.5)
    assert TimeAxis(song, Position(3)).beat_s == pytest.approx(1.0)
    echo = echo_return(left="1/4", right="250ms")
    repeats = time_picture(echo, TimeAxis(song, Position(3))).repeats
    assert [repeat.x for repeat in repeats] == pytest.approx([HIT_X + 34, HIT_X + 136])


@pytest.mark.parametrize(
    ("decay_s", "reading", "verdict"),
    [(0.6, "Tail clears", "0.8 beats before the next backbeat"), (1.0, "Tail ends", "on the next backbeat")],
)
def test_the_reading_names_the_musical_event(decay_s: float, reading: str, verdict: str) -> None:
    picture = time_picture(reverb_return(decay_s=decay_s), AXIS)
    assert (picture.reading, picture.verdict) == (reading, verdict)


def test_a_meter_without_a_backbeat_is_told_in_beats() -> None:
    axis = TimeAxis(replace(make_song(), meters=(Meter(1, 3, 4),)))
    assert [line.label for line in axis.lines if line.label] == ["1 beat", "2 beats", "3 beats", "4 beats"]
    assert time_picture(reverb_return(decay_s=0.5), axis).verdict.endswith("the second beat")


def test_every_repeat_stands_at_its_beat_and_level() -> None:
    picture = time_picture(echo_return(left="1/4", right="1/2", feedback=0.5), AXIS)
    lefts = [r for r in picture.repeats if r.is_left]
    assert [r.x for r in lefts[:3]] == pytest.approx([HIT_X + BEAT_PX * n for n in (1, 2, 3)])
    assert [r.large_y for r in lefts[:2]] == pytest.approx([36.0, 36 + 120 * 6.0206 / 60], abs=0.01)
    assert [r.small_y for r in lefts[:1]] == pytest.approx([8.0])
    assert next(r.x for r in picture.repeats if not r.is_left) == pytest.approx(HIT_X + 2 * BEAT_PX)
    assert picture.label == "left 1/4, right 1/2: 10 repeats over \N{MINUS SIGN}30 dB"  # five a side
    assert "past" in picture.verdict


def test_an_echo_before_a_space_makes_its_tail_longer() -> None:
    assert time_picture(echo_return(left="1/8", right="1/8"), AXIS).reading == "Repeats clear"
    space = reverb_return(decay_s=1.0)
    both = replace(space, chain=(*echo_return(left="1/8", right="1/8").chain, *space.chain))
    verdicts = [time_picture(r, AXIS).verdict for r in (space, both)]
    assert verdicts == ["on the next backbeat", "0.5 beats past the next backbeat"]


def test_a_pair_too_close_for_the_scale_has_a_detail_at_twenty_to_one() -> None:
    doubler = Return(id="d", name="D", chain=(effect_of_kind("doubler", "doubler", {}),))
    left, right = time_picture(doubler, AXIS).pair
    assert right.x - left.x == pytest.approx(20 * 0.008 * AXIS.px_per_s)


def test_a_chain_without_time_says_so() -> None:
    picture = time_picture(Return(id="r", name="R"), AXIS)
    assert (picture.slope, picture.repeats, picture.handles) == (None, [], [])
    assert picture.label.startswith("no tail")


@pytest.mark.parametrize(
    ("left", "missed"), [("245ms", ["Left comes 5 ms before 1/8 (250 ms)"]), ("250ms", []), ("1/8", [])]
)
def test_an_echo_that_just_misses_the_grid_is_marked(left: str, missed: list[str]) -> None:
    misses = time_picture(echo_return(left=left, right="1/4"), AXIS).misses
    assert [miss.words for miss in misses] == missed
    assert [miss.note for miss in misses] == ["1/8"] * len(missed)


@pytest.mark.parametrize(
    "return_",
    [
        reverb_return(decay_s=1.2, pre_delay="1/16", low_ratio=1.3, high_ratio=0.6),
        reverb_return(decay_s=9.0),
        echo_return(left="1/8.", right="310ms", feedback=0.4, left_db=-3, offset_ms=6),
        Return(id="d", name="D", chain=(effect_of_kind("offset", "offset", {"left_ms": 4}),)),
        toned(
            Filter(shape="bell", hz=1500.0, gain_db=-5.0),
            Filter(shape="low_cut", hz=300.0),
            Filter(shape="bell", hz=1600.0, gain_db=3.0),
        ),
    ],
)
def test_a_handle_stands_where_its_value_is(return_: Return) -> None:
    """What a hand that does not move would read is what is set."""
    handles = [*time_picture(return_, AXIS).handles, *tone_picture(filters_of(return_), RATE).handles]
    assert handles
    for handle in handles:
        for drag, px in ((handle.across, handle.x), (handle.upward, handle.y)):
            if drag is not None:
                assert value_at(drag, px) == pytest.approx(drag.number, rel=1e-4, abs=1e-3), (handle.name, drag.path)


def test_a_time_is_led_to_note_values_and_a_decay_to_the_beats() -> None:
    handles = {h.name: h for h in time_picture(reverb_return(decay_s=1.0, pre_delay="1/16"), AXIS).handles}
    pre_delay, decay = handles["Pre-delay"].across, handles["Decay"].across
    assert pre_delay is not None
    assert decay is not None
    assert (AXIS.x(0.125), "1/16") in pre_delay.snaps
    assert all(value_at(pre_delay, x) <= 500.001 for x, _ in pre_delay.snaps)
    for x, text in decay.snaps:  # the end of the tail is on half a beat: 0.25 s
        seconds = float(text.removesuffix(" s"))
        assert value_at(decay, x) == pytest.approx(seconds, abs=0.01)
        assert (seconds + 0.125) / 0.25 == pytest.approx(round((seconds + 0.125) / 0.25), abs=0.01)


def test_the_tone_curve_passes_through_the_filters_gain() -> None:
    filters = (Filter(shape="low_cut", hz=200.0), Filter(shape="bell", hz=2000.0, gain_db=6.0, q=1.0))
    picture = tone_picture(filters_of(toned(*filters)), RATE)
    for point in picture.points.split()[::20]:
        x, y = map(float, point.split(","))
        db = float(response_db(filters, np.array([hz_at(x)]), RATE)[0])
        assert y == pytest.approx(np.clip((12 - db) / 48 * 168, 0, 168), abs=0.3)
    assert [mark.name for mark in picture.marks] == ["Low cut 200 Hz", "Bell 2 kHz"]
    assert not picture.is_flat


def hz_at(x: float) -> float:
    return LOW_HZ * (HIGH_HZ / LOW_HZ) ** (x / LARGE[0])


# What is drawn against what sounds: 1 % in time, 0.5 dB in level.


def test_drawn_repeats_are_those_of_the_rendered_sound() -> None:
    return_ = echo_return(left="1/8.", right="1/4", feedback=0.5, cross=0.3, right_db=-2)
    sound = hit_response(return_, SONG)
    assert sound is not None
    repeats = [r for r in time_picture(return_, AXIS).repeats if r.large_y < FLOOR_Y - 20 * PX_PER_DB]
    assert len(repeats) > 8
    for repeat in repeats:
        drawn_s = (repeat.x - HIT_X) / AXIS.px_per_s
        near = np.abs(
            sound[0 if repeat.is_left else 1, round(drawn_s * 0.99 * RATE) : round(drawn_s * 1.01 * RATE) + 1]
        )
        drawn_db = (TOP_Y - repeat.large_y) / PX_PER_DB
        assert 20 * np.log10(near.max()) == pytest.approx(drawn_db, abs=0.5)


@pytest.mark.parametrize(("space", "decay_s"), [("plate", 0.9), ("hall", 1.8), ("room", 0.6)])
def test_the_drawn_decay_is_that_of_the_rendered_sound(space: str, decay_s: float) -> None:
    return_ = reverb_return(space=space, decay_s=decay_s, pre_delay="1/16", early_db=-30)
    slope = time_picture(return_, AXIS).slope
    assert slope is not None
    drawn = (slope.end_x - slope.start_x) / AXIS.px_per_s
    low, high = ((x - slope.start_x) / AXIS.px_per_s for x in (slope.low_end_x, slope.high_end_x))
    picture, sound = picture_of(return_, SONG), hit_response(return_, SONG)
    assert picture is not None
    assert sound is not None
    measured = {round(r.centre_hz): r.t30_s for r in picture.decays}
    assert measured[1000] == pytest.approx(drawn, rel=0.05)  # one hit's tail of noise: its T30 has a spread of its own
    assert measured[125] is None or drawn * 0.85 <= measured[125] <= low * 1.1  # few modes, so a wider one
    assert measured[8000] is None or high * 0.95 <= measured[8000] <= drawn
    first = np.flatnonzero(np.abs(sound).max(axis=0))[0] / RATE
    pre_delay_s = (slope.start_x - HIT_X) / AXIS.px_per_s
    assert pre_delay_s - 0.0001 <= first <= pre_delay_s + 0.005  # then the first reflection


def test_the_drawn_curve_is_that_of_the_rendered_sound() -> None:
    filters = (
        Filter(shape="low_cut", hz=250.0, slope_db_oct=18),
        Filter(shape="bell", hz=2500.0, gain_db=-6.0),
        Filter(shape="high_cut", hz=9000.0),
    )
    offset = effect_of_kind("offset", "offset", {"left_ms": 0, "right_ms": 0})
    return_ = Return(id="r", name="R", chain=(offset, *toned(*filters).chain))
    sound = hit_response(return_, SONG)
    assert sound is not None
    levels = 20 * np.log10(np.abs(np.fft.rfft(sound[0].astype(np.float64))))
    hz = np.fft.rfftfreq(sound.shape[1], 1 / RATE)
    for point in tone_picture(filters_of(return_), RATE).points.split()[::10]:
        x, y = map(float, point.split(","))
        if y < LARGE[1] - 1:
            drawn_db = 12 - y / LARGE[1] * 48
            assert np.interp(hz_at(x), hz, levels) == pytest.approx(drawn_db, abs=0.5)


USUAL_FILTERS = [
    [("low_cut", 220.0, 0.0), ("bell", 2800.0, -3.0), ("high_cut", 7500.0, 0.0)],
    [("low_cut", 60.0, 0.0), ("high_cut", 15000.0, 0.0)],
    [("low_cut", 300.0, 0.0), ("bell", 320.0, -9.0), ("bell", 340.0, 6.0), ("high_shelf", 4000.0, -6.0), ("high_cut", 4100.0, 0.0)],
    [("notch", 1000.0, 0.0), ("low_shelf", 120.0, 6.0)],
]  # fmt: skip


@pytest.mark.parametrize("chosen", USUAL_FILTERS)
def test_labels_of_filters_cover_neither_the_curve_nor_each_other_nor_the_axis(chosen) -> None:
    filters = tuple(Filter(shape=shape, hz=hz, gain_db=gain) for shape, hz, gain in chosen)
    picture = tone_picture(filters_of(toned(*filters)), RATE)
    labels = [mark.label for mark in picture.marks]
    curve = [tuple(map(float, point.split(","))) for point in picture.points.split()]
    for index, label in enumerate(labels):
        assert label.left >= 38
        assert label.left + label.width <= picture.width
        assert not any(label.covers(x, y) for x, y in curve)
        assert not any(label.meets(other) for other in labels[:index])


def test_a_label_that_finds_no_free_place_covers_as_little_as_can_be() -> None:
    everywhere = [(x, y) for x in range(0, 428, 4) for y in range(0, 168, 4)]
    (label,) = placed_labels([(200.0, "Low cut 220 Hz")], everywhere, 428.0)
    assert 0 <= label.left <= 428 - label.width
