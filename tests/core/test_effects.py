"""Every kind of effect but reverb, impulse and tone, against closed forms."""

import numpy as np
import pytest

from highhall.effects import CELL_FRAMES
from highhall.plan import Tempo
from highhall.timing import Position
from tests.core.signals import (
    RATE,
    click_db,
    db,
    impulse,
    in_blocks,
    make_effect,
    make_song,
    moved_chain,
    pink_noise,
    power,
)


def sine(hz: float, seconds: float, level: float = 0.5) -> np.ndarray:
    wave = level * np.sin(2 * np.pi * hz * np.arange(int(seconds * RATE)) / RATE)
    return np.stack([wave, wave]).astype(np.float32)


def repeats(side: np.ndarray, floor: float = 1e-4) -> list[tuple[int, float]]:
    return [(int(n), float(side[n])) for n in np.flatnonzero(np.abs(side) > floor)]


def spectrum_db(wave: np.ndarray) -> np.ndarray:
    """Level of each hertz against the strongest."""
    power_ = np.abs(np.fft.rfft(wave.astype(np.float64) * np.blackman(len(wave)))) ** 2
    return 10 * np.log10(power_ / power_.max() + 1e-20)


# echo


def test_echo_taps_lie_at_their_times_and_fall_by_the_feedback() -> None:
    heard = make_effect("echo", left="1/8.", right="375.4ms", feedback=0.5).process(impulse(3.0), 0)
    for side, effect in ((0, 18000), (1, 18019)):  # 375 ms; 375.4 ms is 18019.2 samples
        found = repeats(heard[side], 0.02)
        assert [n for n, _ in found] == [effect * k for k in range(1, len(found) + 1)]
        assert len(found) >= 5
        assert [20 * np.log10(a) for _, a in found] == pytest.approx([-6.0206 * k for k in range(len(found))], abs=0.01)


def test_full_cross_sends_every_repeat_to_the_other_side() -> None:
    heard = make_effect("echo", left="100ms", right="150ms", feedback=0.8, cross=1).process(impulse(0.6, side=0), 0)
    assert repeats(heard[0]) == [(4800, 1.0), (16800, pytest.approx(0.64))]
    assert repeats(heard[1]) == [(12000, pytest.approx(0.8)), (24000, pytest.approx(0.512))]


@pytest.mark.parametrize(
    ("kind_of_input", "left", "right"), [("stereo", 1.0, 0.0), ("mono", 0.5, 0.5), ("left", 0.5, 0.0)]
)
def test_what_enters_the_lines(kind_of_input: str, left: float, right: float) -> None:
    heard = make_effect("echo", left="10ms", right="10ms", input=kind_of_input).process(impulse(0.1, side=0), 0)
    assert (heard[0, 480], heard[1, 480]) == (left, right)


def test_side_levels_and_offset_come_after_the_loop() -> None:
    processor = make_effect("echo", left="20ms", right="20ms", feedback=0.5, left_db=-6, right_db=3, offset_ms=5)
    heard = processor.process(impulse(0.1), 0)
    assert repeats(heard[0])[0] == (960, pytest.approx(10 ** (-6 / 20)))
    assert repeats(heard[1])[0] == (1200, pytest.approx(10 ** (3 / 20)))
    assert repeats(heard[1])[1] == (2160, pytest.approx(0.5 * 10 ** (3 / 20)))


def test_every_pass_goes_through_first_order_butterworth_cuts() -> None:
    heard = make_effect("echo", left="50ms", right="50ms", feedback=1 - 0.02, low_cut_hz=200, high_cut_hz=4000).process(
        impulse(0.25), 0
    )
    hz = np.array([50, 200, 1000, 4000, 10_000.0])
    warped = np.tan(np.pi * hz / RATE)
    low, high = warped / np.tan(np.pi * 200 / RATE), warped / np.tan(np.pi * 4000 / RATE)
    once = np.sqrt(low**2 / (1 + low**2) / (1 + high**2))
    for repeat in (1, 2, 3):
        part = heard[0, 2400 * repeat : 2400 * (repeat + 1)].astype(np.float64)
        gains = np.abs(np.exp(-2j * np.pi * np.outer(hz, np.arange(2400)) / RATE) @ part)
        assert 20 * np.log10(gains) == pytest.approx(20 * np.log10(once**repeat * 0.98 ** (repeat - 1)), abs=0.2)


def test_repeats_follow_a_tempo_that_changes() -> None:
    tempos = (Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(5), bpm=60.0))
    processor = make_effect("echo", left="1/4", right="1/4", feedback=0.5, tempos=tempos)
    # 60 counts from 8 s on. Heard at 7.75 s, a quarter later lies half at 120 and half at 60: 8.5 s.
    heard = processor.process(impulse(4.0), round(7.75 * RATE))[0]
    peaks = [0.75, 1.75, 2.75]
    for place, level in zip(peaks, (1.0, 0.5, 0.25), strict=True):
        near = heard[round(place * RATE) - 20 : round(place * RATE) + 20]
        assert int(np.argmax(np.abs(near))) == 20
        assert near.max() == pytest.approx(level, rel=0.02)


def test_wow_moves_the_time_by_its_depth() -> None:
    processor = make_effect("echo", left="100ms", right="100ms", wow_depth_ms=2.0, wow_hz=0.5)
    signal = np.zeros((2, RATE * 2), np.float32)
    clicks = np.arange(1000, 2 * RATE - 6000, 4800)
    signal[:, clicks] = 1.0
    heard = processor.process(signal, 0)[0].astype(np.float64)
    for click in clicks:
        near = np.arange(click + 4600, click + 5000)
        middle = np.sum(near * heard[near]) / np.sum(heard[near])
        assert middle - click == pytest.approx(4800 + 96 * np.sin(2 * np.pi * 0.5 * middle / RATE), abs=1.0)


def test_drive_never_has_a_gain_over_one_and_the_loop_stays_below_what_is_fed() -> None:
    quiet = make_effect("echo", left="10ms", right="10ms", drive=1.0).process(1e-4 * impulse(0.1), 0)
    assert quiet[0, 480] == pytest.approx(1e-4, rel=1e-4)
    processor = make_effect("echo", left="3ms", right="7ms", feedback=0.98, cross=0.3, drive=1.0, low_cut_hz=20)
    noise = np.random.default_rng(0).uniform(-1, 1, (2, 20 * RATE)).astype(np.float32)
    assert np.abs(processor.process(noise, 0)).max() <= 1 / 8  # tanh(8 x) / 8


def test_the_longest_feedback_settles_and_stays_for_minutes() -> None:
    processor = make_effect("echo", left="250ms", right="370ms", feedback=0.98, cross=0.5, low_cut_hz=60)
    noise = (0.1 * np.random.default_rng(1).standard_normal((2, 60 * RATE))).astype(np.float32)
    minutes = [power(processor.process(noise, minute * 60 * RATE)) for minute in range(6)]
    assert max(minutes[1:]) < 1.5 * min(minutes[1:])
    assert max(minutes) < power(noise) / (1 - 0.98) ** 2


def test_a_moved_time_changes_the_taps_without_a_click() -> None:
    chain = moved_chain(
        [{"id": "e", "kind": "echo", "params": {"left": "1/8", "right": "1/8"}}],
        [{"target": {"step": "e", "param": "left"}, "sections": [{"section": "b", "value": "1/4"}]}],
    )
    wave = sine(440, 10)
    heard = chain.process(wave, 0)
    assert click_db(heard, 4 * RATE) < 10
    for start, delay in ((3.0, 0.25), (5.0, 0.5), (9.0, 0.25)):
        first = int(start * RATE)
        expected = wave[0, first - int(delay * RATE) : first - int(delay * RATE) + 4800]
        np.testing.assert_allclose(heard[0, first : first + 4800], expected, atol=1e-4)


# short delays


def test_an_offset_is_two_delays() -> None:
    heard = make_effect("offset", left_ms=0, right_ms=12).process(impulse(0.1), 0)
    assert (repeats(heard[0]), repeats(heard[1])) == ([(0, 1.0)], [(576, 1.0)])


@pytest.mark.parametrize("cents", [-50.0, -7.0, 7.0, 50.0])
def test_a_doubler_detunes_to_a_cent_and_is_late_on_average(cents: float) -> None:
    processor = make_effect("doubler", left_ms=20, right_ms=30, left_cents=cents, right_cents=-cents)
    heard = processor.process(sine(1000, 20), 0)
    for side, expected in ((0, cents), (1, -cents)):
        line = heard[side, RATE * 2 :].astype(np.float64)
        power_ = np.abs(np.fft.rfft(line * np.hanning(len(line)))) ** 2
        hz = np.fft.rfftfreq(len(line), 1 / RATE)
        near = (hz > 900) & (hz < 1100)
        middle = np.sum(hz[near] * power_[near]) / np.sum(power_[near])
        assert 1200 * np.log2(middle / 1000) == pytest.approx(expected, abs=1.0)
    still = make_effect("doubler", left_ms=20, right_ms=30, left_cents=0, right_cents=0).process(impulse(0.1), 0)
    assert max(n for n, _ in repeats(still[0])) - min(n for n, _ in repeats(still[0])) <= 30 * 48


def test_chorus_voices_wander_about_their_delays_and_keep_the_power() -> None:
    noise = pink_noise(10 * RATE, np.random.default_rng(1))
    for voices in (1, 2, 4):
        heard = make_effect("chorus", voices=voices).process(noise, 0)
        assert db(power(heard[:, RATE:]) / power(noise[:, RATE:])) == pytest.approx(0, abs=1.5)
    one = make_effect("chorus", voices=1, depth=0).process(impulse(0.1), 0)
    assert repeats(one[0], 0.2)[0][0] == pytest.approx(11.3 * 48, abs=2)


def test_a_flanger_is_a_comb_that_moves() -> None:
    still = make_effect("flanger", depth=0, feedback=0).process(impulse(0.2), 0)[0].astype(np.float64)
    hz = np.array([500.0, 1666.7, 3333.3])
    gains = np.abs(np.exp(-2j * np.pi * np.outer(hz, np.arange(len(still))) / RATE) @ still)
    assert gains == pytest.approx(np.abs(1 + np.exp(-2j * np.pi * hz * 0.0003)) / np.sqrt(2), abs=0.02)
    loud = make_effect("flanger", feedback=0.95).process(pink_noise(8 * RATE, np.random.default_rng(2)), 0)
    assert db(power(loud) / 0.02) == pytest.approx(0, abs=2.0)


# side to side


def test_autopan_goes_right_first_and_keeps_the_power() -> None:
    steady = np.ones((2, 2 * RATE), np.float32)
    heard = make_effect("autopan", rate=1.0, depth=1.0).process(steady, 0)
    assert heard[:, 0] == pytest.approx([1, 1], abs=1e-6)
    assert heard[:, RATE // 4] == pytest.approx([0, np.sqrt(2)], abs=1e-5)
    assert heard[:, 3 * RATE // 4] == pytest.approx([np.sqrt(2), 0], abs=1e-5)
    np.testing.assert_allclose((heard.astype(np.float64) ** 2).sum(axis=0), 2, atol=1e-5)
    triangle = make_effect("autopan", rate="1/4", depth=1.0, shape="triangle").process(steady, 0)  # 0.5 s a round
    assert triangle[1, RATE // 16] == pytest.approx(np.sqrt(2) * np.sin(1.5 * np.pi / 4), abs=1e-4)


def test_a_note_value_keeps_its_phase_through_a_tempo_ramp() -> None:
    tempos = (Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(5), bpm=80.0, ramp=True))
    processor = make_effect("autopan", rate="1/1", depth=1.0, tempos=tempos)
    time = np.arange(0, 12 * RATE)
    heard = processor.process(np.ones((2, len(time)), np.float32), 0)
    song = make_song(tempos=tempos)
    for bar in range(1, 6):  # at every bar line the round is complete: centre, going right
        at = song.time.sample_at(Position(bar))
        assert heard[0, at] == pytest.approx(1.0, abs=1e-3)
        assert heard[1, at + 100] > 1


def test_width_scales_the_side_and_makes_the_bass_mono() -> None:
    noise = np.random.default_rng(3).standard_normal((2, 4 * RATE)).astype(np.float32)
    wide = make_effect("width", width=2.0).process(noise, 0)
    np.testing.assert_allclose(wide[0] - wide[1], 2 * (noise[0] - noise[1]), atol=1e-5)
    np.testing.assert_allclose(wide.sum(axis=0), noise.sum(axis=0), atol=1e-5)
    cut = make_effect("width", bass_mono_hz=200).process(impulse(1.0, side=0), 0).astype(np.float64)
    side = np.abs(np.fft.rfft(cut[0] - cut[1]))
    hz = np.array([50, 200, 800])
    warped = np.tan(np.pi * hz / RATE) / np.tan(np.pi * 200 / RATE)
    assert 20 * np.log10(side[hz]) == pytest.approx(20 * np.log10(warped**2 / np.sqrt(1 + warped**4)), abs=0.1)


# levels and words


@pytest.mark.parametrize("hz", [997.0, 3001.0, 5003.0])
def test_drive_gives_harmonics_and_no_aliases_above_60_db_down(hz: float) -> None:
    heard = make_effect("drive", amount=1.0, tone_hz=20000).process(sine(hz, 1.5, 1.0), 0)[0, RATE // 2 :]
    level = spectrum_db(heard)
    places = np.arange(len(level))
    harmonic = np.abs(places / hz - np.round(places / hz)) * hz < 6
    assert level[~harmonic].max() < -60
    assert level[round(3 * hz)] > -15


def test_drive_lifts_quiet_sound_by_half_its_amount_and_never_passes_its_limit() -> None:
    quiet = make_effect("drive", amount=1.0, tone_hz=20000).process(sine(500, 1.0, 1e-3), 0)
    assert db(power(quiet[:, RATE // 2 :]) / 1e-6) == pytest.approx(9.0, abs=0.2)
    loud = make_effect("drive", amount=1.0).process(
        np.random.default_rng(4).uniform(-8, 8, (2, RATE)).astype(np.float32), 0
    )
    assert np.abs(loud).max() < 10 ** (-9 / 20) * 1.6  # the high cut and half-bands overshoot a little


def test_crush_takes_a_sample_where_its_phase_passes_a_whole_number_at_any_rate() -> None:
    noise = (0.3 * np.random.default_rng(2).standard_normal((2, 3 * CELL_FRAMES))).astype(np.float32)
    for rate_hz in (2100.0, 7000.0, 31000.0):
        heard = in_blocks(make_effect("crush", bits=6, rate_hz=rate_hz).process, noise, [CELL_FRAMES])
        counts = np.floor(rate_hz * np.arange(noise.shape[1]) / 48000 + 1e-9)
        _, firsts, places = np.unique(counts, return_index=True, return_inverse=True)
        np.testing.assert_array_equal(heard, np.rint(noise[:, firsts[places]] * 32) / 32)


def test_crush_holds_samples_and_rounds_words() -> None:
    ramp = np.tile(np.linspace(-0.9, 0.9, 4800, dtype=np.float32), (2, 1))
    held = make_effect("crush", bits=16, rate_hz=12000).process(ramp, 0)[0]
    assert (np.diff(held.reshape(-1, 4), axis=1) == 0).all()
    words = make_effect("crush", bits=4, rate_hz=48000).process(ramp, 0)[0]
    assert np.unique(words * 8).tolist() == list(range(-7, 8))


def test_a_duck_goes_down_with_its_key_holds_and_comes_back() -> None:
    processor = make_effect(
        "duck", key="voice", depth_db=12, attack_ms=10, hold_ms=90, release_ms=200, threshold_db=-20
    )
    key = np.zeros((2, RATE), np.float32)
    key[1, 4800:9600] = sine(300, 0.1)[1]
    processor.hear(key)
    gain = processor.process(np.ones((2, RATE), np.float32), 0)[0]
    level = 20 * np.log10(gain)
    assert level[4790] == 0
    assert level[4800 + 600] == pytest.approx(-12, abs=0.01)
    assert level[9600 + 4300] == pytest.approx(-12, abs=0.01)  # held for 90 ms after the last 10 ms over it
    assert level[9600 + 4800 + 4800] == pytest.approx(-6, abs=0.2)
    assert level[9600 + 4800 + 9700] == 0


@pytest.mark.parametrize(("level_db", "expected_db"), [(-30.0, -30.0), (-24.0, -24.0), (-12.0, -20.0), (0.0, -16.0)])
def test_a_leveler_takes_its_share_of_what_is_over_the_threshold(level_db: float, expected_db: float) -> None:
    steady = np.full((2, 2 * RATE), 10 ** (level_db / 20), np.float32)
    heard = make_effect("leveler", threshold_db=-24, ratio=3, attack_ms=5).process(steady, 0)
    assert 20 * np.log10(heard[0, -1]) == pytest.approx(expected_db, abs=0.01)
    makeup = make_effect("leveler", threshold_db=-24, ratio=3, attack_ms=5, makeup_db=6).process(steady, 0)
    assert 20 * np.log10(makeup[0, -1] / heard[0, -1]) == pytest.approx(6, abs=0.01)


# all of them


KINDS = [
    ("echo", {"left": "1/8", "right": "80.3ms", "feedback": 0.5, "wow_depth_ms": 1, "drive": 0.2, "offset_ms": 3}),
    ("offset", {}), ("doubler", {}), ("chorus", {}), ("flanger", {}), ("autopan", {}), ("width", {"bass_mono_hz": 90}),
    ("drive", {}), ("crush", {"mix": 0.5}), ("leveler", {}),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "params"), KINDS)
def test_block_sizes_change_no_bit(kind: str, params: dict[str, object]) -> None:
    noise = (0.3 * np.random.default_rng(5).standard_normal((2, 60_000))).astype(np.float32)
    whole = make_effect(kind, **params).process(noise, 100_000)
    parts = in_blocks(make_effect(kind, **params).process, noise, [1, 7, 64, 63, 511, 8192, 3000], 100_000)
    np.testing.assert_array_equal(parts, whole)


@pytest.mark.parametrize(("kind", "params"), KINDS)
def test_a_start_from_silence_agrees_after_its_memory(kind: str, params: dict[str, object]) -> None:
    noise = (0.1 * np.random.default_rng(6).standard_normal((2, 6 * RATE))).astype(np.float32)
    whole = make_effect(kind, **params).process(noise, 0)
    late = make_effect(kind, **params)
    first = 4 * RATE - min(round(late.memory_s * RATE), 4 * RATE)
    heard = late.process(np.ascontiguousarray(noise[:, first:]), first)[:, 4 * RATE - first :]
    error = heard - whole[:, 4 * RATE :]
    assert db(power(error) / power(whole) + 1e-20) < -100
