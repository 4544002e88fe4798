"""Pictures and predictions against rendered sound."""

from dataclasses import replace

import numpy as np
import pytest

from highhall.curves import EffectCurves
from highhall.effects import NO_RESPONSES, Chain
from highhall.effects.feedback_line import repeats_until
from highhall.measure import decay_by_band
from highhall.measure.loudness import k_weighted
from highhall.measure.pictures import ENVELOPE_S, hit_response, picture_of
from highhall.measure.predictions import (
    chain_response_db,
    decays_of,
    echo_repeats,
    loudness_gain_db,
    tail_end_s,
)
from highhall.plan import Return, Tempo
from highhall.plan.edits import effect_of_kind
from highhall.plan.kinds import KINDS
from highhall.plan.starting_points import STARTING_POINTS, StartingPoint
from highhall.timing import Position
from tests.core.signals import RATE, db, make_effect, make_song, pink_noise

SONG = make_song()
START = Position(1)


def return_of(*effects: tuple[str, dict[str, object]]) -> Return:
    made = tuple(effect_of_kind(kind, f"{kind}-{index}", params) for index, (kind, params) in enumerate(effects))
    return Return(id="r", name="R", chain=made)


@pytest.mark.parametrize(
    "params",
    [
        {"left": "1/8.", "right": "1/4", "feedback": 0.6},
        {"left": "1/8", "right": "1/8T", "feedback": 0.7, "cross": 0.4},
        {"left": "200ms", "right": "200ms", "feedback": 0.5, "cross": 1.0, "input": "left", "right_db": 3},
        {"left": "1/8", "right": "1/4", "feedback": 0.3, "offset_ms": -7, "input": "mono"},
    ],
)
def test_predicted_taps_are_those_of_the_sound(params: dict[str, object]) -> None:
    repeats = echo_repeats(effect_of_kind("echo", "e", params), SONG, START)
    heard = make_effect("echo", **params).process(
        np.concatenate([np.ones((2, 1)), np.zeros((2, 8 * RATE))], 1).astype(np.float32), 0
    )

    def sounding(over_db: float) -> set[tuple[int, int]]:
        return {(side, int(n)) for side in (0, 1) for n in np.flatnonzero(np.abs(heard[side]) > 10 ** (over_db / 20))}

    def predicted(over_db: float) -> set[tuple[int, int]]:
        return {(repeat.side, round(repeat.seconds * RATE)) for repeat in repeats if repeat.level_db > over_db}

    assert predicted(-39.8) <= sounding(-40)
    assert sounding(-39.8) <= predicted(-40)
    assert len(repeats) > 6
    for repeat in repeats:
        assert 20 * np.log10(abs(heard[repeat.side, round(repeat.seconds * RATE)])) == pytest.approx(
            repeat.level_db, abs=0.2
        )


def test_predicted_taps_follow_a_tempo_that_slows() -> None:
    song = make_song(tempos=(Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(2), bpm=60.0)))
    repeats = echo_repeats(
        effect_of_kind("echo", "e", {"left": "1/4", "right": "1/4", "feedback": 0.5}), song, Position.parse("1|4")
    )
    assert [repeat.seconds for repeat in repeats if repeat.side == 0][:3] == pytest.approx([0.5, 1.5, 2.5])


@pytest.mark.parametrize("space", ["room", "plate", "cathedral"])
@pytest.mark.parametrize("decay_s", [0.6, 3.0])
def test_the_decays_of_a_picture_are_those_measured_and_near_those_predicted(space: str, decay_s: float) -> None:
    params = {"space": space, "decay_s": decay_s, "early_db": -30}
    return_ = return_of(("reverb", params))
    response = hit_response(return_, SONG)
    picture = picture_of(return_, SONG)
    assert response is not None
    assert picture is not None
    measured = {r.centre_hz: r.t30_s for r in decay_by_band(response, RATE)}
    predicted = dict(decays_of(return_.chain[0], RATE))
    for reading in picture.decays:
        if reading.centre_hz >= 500:
            assert reading.t30_s == pytest.approx(measured[reading.centre_hz], rel=0.05), reading
            assert reading.t30_s == pytest.approx(predicted[reading.centre_hz], rel=0.15), reading


def test_the_bands_of_a_picture_are_the_energy_of_the_response() -> None:
    return_ = return_of(
        ("reverb", {"space": "hall", "decay_s": 1.2}), ("tone", {"bands": [{"shape": "low_cut", "hz": 300}]})
    )
    picture, response = picture_of(return_, SONG), hit_response(return_, SONG)
    assert picture is not None
    assert response is not None
    hz = np.fft.rfftfreq(response.shape[1], 1 / RATE)
    powers = np.sum(np.abs(np.fft.rfft(response.astype(np.float64), axis=1)) ** 2, axis=0) / 2
    for index, centre in ((6, 100.0), (16, 1000.0), (22, 4000.0)):
        inside = (hz >= centre * 10**-0.05) & (hz < centre * 10**0.05)
        assert picture.bands_db[index] == pytest.approx(db(np.mean(powers[inside])), abs=0.5)
    effect = round(ENVELOPE_S * RATE)
    assert picture.envelope[0, 30] == pytest.approx(np.abs(response[0, 30 * effect : 31 * effect]).max())


def test_a_single_repeat_that_comes_late_is_in_the_picture() -> None:
    return_ = return_of(("echo", {"left": "1900ms", "right": "1900ms", "feedback": 0.0}))
    response, picture = hit_response(return_, SONG), picture_of(return_, SONG)
    assert response is not None
    assert picture is not None
    assert int(np.argmax(np.abs(response[0]))) == round(1.9 * RATE)
    assert picture.bands_db[16] == pytest.approx(0, abs=0.5)


def test_filters_of_a_chain_add_up() -> None:
    bands = [{"shape": "low_cut", "hz": 200}, {"shape": "bell", "hz": 6000, "gain_db": -6}]
    return_ = return_of(("offset", {}), ("tone", {"bands": bands[:1]}), ("tone", {"bands": bands[1:]}))
    off = replace(return_, chain=(*return_.chain[:2], replace(return_.chain[2], on=False)))
    hz = np.array([200.0, 6000.0])
    assert chain_response_db(return_, hz, RATE) == pytest.approx([-3.01 - 0.02, -6.0], abs=0.05)
    assert chain_response_db(off, hz, RATE)[1] == pytest.approx(0, abs=0.01)


def test_a_tail_ends_where_the_last_of_it_does() -> None:
    assert tail_end_s(
        return_of(("echo", {"left": "1/4", "right": "1/4", "feedback": 0.5})), SONG, START
    ) == pytest.approx(5.0)
    hall = return_of(
        ("reverb", {"space": "hall", "decay_s": 2.0, "low_ratio": 1, "high_ratio": 1, "pre_delay": "1/16"})
    )
    assert tail_end_s(hall, SONG, START) == pytest.approx(2.125, rel=0.01)
    assert tail_end_s(hall, SONG, START, -30.0) == pytest.approx(1.125, rel=0.01)
    assert [repeats_until(0.5, -30), repeats_until(0.0, -30), repeats_until(0.5, -6.0206)] == [5, 1, 2]


STEADY = [p for p in STARTING_POINTS if KINDS[p.kind].makes_wet and p.kind != "drive"]  # drive depends on the level


@pytest.mark.parametrize("point", STEADY, ids=lambda p: p.id)
def test_the_predicted_loudness_of_a_starting_point_is_that_of_its_sound(point: StartingPoint) -> None:
    return_ = Return(id="r", name="R", chain=(point.effect,))
    noise = pink_noise(8 * RATE, np.random.default_rng(5))
    heard = Chain([EffectCurves(point.effect, SONG)], NO_RESPONSES).process(noise, 0)
    before, after = (np.sum(k_weighted(x[:, 4 * RATE :], RATE) ** 2) for x in (noise, heard))
    assert loudness_gain_db(return_, SONG, START) == pytest.approx(10 * np.log10(after / before), abs=1.5)


def test_a_silent_return_has_no_picture() -> None:
    assert picture_of(return_of(("tone", {"bands": []})), SONG) is None
