"""What a stem is like, on signals of which it is known."""

import numpy as np
import pytest
from scipy import signal as scipy_signal

from highhall.measure.phrases import Phrase, phrases_over, with_ends
from highhall.measure.stem_analysis import StemAnalysis, analysis_of, clipped_samples
from highhall.measure.true_peak import true_peak
from tests.core.signals import RATE

PHRASES = ((0.5, 1.7), (2.4, 3.1), (4.0, 6.25))


def sung(floor_db: float | None, *, release_s: float = 0.01, seconds: float = 7.0) -> np.ndarray:
    """A tone of -12 dBFS in three phrases with a short release, over white noise of a given level."""
    time = np.arange(int(seconds * RATE)) / RATE
    envelope = np.zeros(len(time))
    for start, end in PHRASES:
        inside = (time >= start) & (time < end)
        envelope[inside] = 1.0
        after = time >= end
        envelope[after] = np.maximum(envelope[after], 10 ** (-3 * (time[after] - end) / release_s))
    signal = 0.25 * envelope * np.sin(2 * np.pi * 330 * time)
    if floor_db is not None:
        signal += 10 ** (floor_db / 20) * np.random.default_rng(0).standard_normal(len(time))
    return signal[None].astype(np.float32)


@pytest.mark.parametrize("floor_db", [None, -90.0, -75.0, -60.0, -45.0])
@pytest.mark.parametrize("release_s", [0.01, 0.06])
def test_phrases_are_found_within_50_ms_over_any_noise_floor(floor_db: float | None, release_s: float) -> None:
    found = analysis_of(sung(floor_db, release_s=release_s), RATE).phrases()
    assert len(found) == len(PHRASES)
    for phrase, (start, end) in zip(found, PHRASES, strict=True):
        assert phrase.start_s == pytest.approx(start, abs=0.05)
        assert phrase.end_s == pytest.approx(end, abs=0.05)


def test_a_threshold_of_ones_own_is_kept_to() -> None:
    analysis = analysis_of(sung(-60.0), RATE)
    (whole,) = analysis.phrases(threshold_db=-70.0)
    assert whole.end_s - whole.start_s == pytest.approx(7.0, abs=0.05)
    assert len(analysis.phrases(threshold_db=-20.0)) == 3
    assert analysis.phrases(threshold_db=0.0) == ()


def test_a_breath_does_not_part_a_phrase_and_a_click_is_none() -> None:
    levels = np.full(300, -90.0)
    levels[20:100] = levels[115:160] = -20.0  # a gap of 150 ms
    levels[250:253] = -10.0  # 30 ms
    phrases = phrases_over(levels, -50.0)
    assert [(round(p.start_s, 2), round(p.end_s, 2)) for p in phrases] == [(0.2, 1.6)]


def test_a_stem_that_hardly_ever_sounds_is_told_from_its_noise() -> None:
    rng = np.random.default_rng(1)
    signal = 10 ** (-84 / 20) * rng.standard_normal(RATE * 60)
    for start in (10, 30, 50):
        signal[start * RATE : start * RATE + RATE // 5] += 0.3 * rng.standard_normal(RATE // 5)
    found = analysis_of(signal[None].astype(np.float32), RATE).phrases()
    assert [round(p.start_s, 1) for p in found] == [10.0, 30.0, 50.0]
    assert [round(p.end_s, 1) for p in found] == [10.2, 30.2, 50.2]


def test_nothing_but_a_noise_floor_has_no_phrase() -> None:
    noise = 10 ** (-84 / 20) * np.random.default_rng(2).standard_normal((1, RATE * 5))
    assert analysis_of(noise.astype(np.float32), RATE).phrases() == ()


def test_silence_has_no_level_and_no_phrase() -> None:
    analysis = analysis_of(np.zeros((2, RATE), np.float32), RATE)
    assert (analysis.peak, analysis.true_peak, analysis.loudness_lufs(), analysis.phrases()) == (0.0, 0.0, None, ())
    assert (analysis.correlation(), analysis.reverberance) == (None, None)
    assert (analysis.band_levels_db() == -120).all()


def test_levels_loudness_and_dc_are_those_of_the_signal() -> None:
    time = np.arange(RATE * 4) / RATE
    signal = (0.1 * np.sin(2 * np.pi * 1000 * time) + 0.02)[None].astype(np.float32)
    analysis = analysis_of(signal, RATE)
    assert analysis.peak == pytest.approx(0.12, rel=1e-3)
    assert analysis.dc == pytest.approx(0.02, abs=1e-4)
    # A mono sine of -20 dBFS in the centre: -23.01 dBFS a side, which BS.1770 reads as -23.0 LUFS.
    assert analysis.loudness_lufs() == pytest.approx(-23.0, abs=0.1)
    assert analysis.levels_db[100] == pytest.approx(10 * np.log10(0.005 + 0.0004), abs=0.1)


def test_a_stretch_has_the_loudness_of_that_stretch() -> None:
    time = np.arange(RATE * 25) / RATE
    gain = np.where(time < 12, 0.1, 0.01)
    analysis = analysis_of((gain * np.sin(2 * np.pi * 1000 * time))[None].astype(np.float32), RATE)
    assert analysis.loudness_lufs(0, 12) == pytest.approx(-23.0, abs=0.1)
    assert analysis.loudness_lufs(12.5, 25) == pytest.approx(-43.0, abs=0.1)
    assert analysis.loudness_lufs(30, 40) is None


@pytest.mark.parametrize(("right", "expected"), [(1.0, 1.0), (-0.5, -1.0), (None, 0.0)])
def test_correlation_of_the_sides(right: float | None, expected: float) -> None:
    rng = np.random.default_rng(3)
    left = rng.standard_normal(RATE * 11)
    other = rng.standard_normal(RATE * 11) if right is None else right * left
    analysis = analysis_of(0.1 * np.stack([left, other]).astype(np.float32), RATE)
    assert analysis.correlation() == pytest.approx(expected, abs=0.01)
    assert analysis_of((0.1 * left)[None].astype(np.float32), RATE).correlation() is None


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_a_sine_between_samples_peaks_higher_than_its_samples(rate: int) -> None:
    # A quarter of the rate, an eighth of a turn on: no sample comes closer than 3.01 dB to the peak.
    phase = 2 * np.pi * 0.25 * np.arange(rate) + np.pi / 4
    fade = np.minimum(1, np.minimum(np.arange(rate), np.arange(rate)[::-1]) / 4800)
    analysis = analysis_of((0.5 * fade * np.sin(phase))[None].astype(np.float32), rate)
    assert 20 * np.log10(analysis.peak) == pytest.approx(-9.03, abs=0.02)
    assert 20 * np.log10(analysis.true_peak) == pytest.approx(-6.02, abs=0.1)


def test_the_true_peak_is_that_of_the_whole_oversampled_sound() -> None:
    rng = np.random.default_rng(4)
    envelope = np.repeat(rng.uniform(0.05, 0.6, 40), 1500)
    samples = (envelope * rng.standard_normal((2, 60000))).astype(np.float32)
    fine = scipy_signal.resample_poly(samples.astype(np.float64), 16, 1, axis=1, window=("kaiser", 8.0))
    assert 20 * np.log10(true_peak(samples)) == pytest.approx(20 * np.log10(np.abs(fine).max()), abs=0.4)


def test_a_true_peak_at_the_very_ends_is_seen() -> None:
    for place in (0, 1, 4095, 4096, 9998, 9999):
        samples = np.zeros((1, 10000), np.float32)
        samples[0, place] = -0.8
        assert true_peak(samples) == pytest.approx(0.8, abs=0.03)


@pytest.mark.parametrize("rate", [44100, 48000, 88200])
def test_third_octaves_hold_a_sines_power_in_its_band_and_all_power_together(rate: int) -> None:
    time = np.arange(rate * 12) / rate
    analysis = analysis_of((0.1 * np.sin(2 * np.pi * 1000 * time))[None].astype(np.float32), rate)
    levels = analysis.band_levels_db(1, 11)
    assert np.argmax(levels) == 16
    assert levels[16] == pytest.approx(-23.01, abs=0.05)
    assert np.delete(levels, [15, 16, 17]).max() < -70
    noise = 0.1 * np.random.default_rng(5).standard_normal((2, rate * 12)).astype(np.float32)
    powers = 10 ** (analysis_of(noise, rate).band_levels_db(1, 11) / 10)
    density = 2 * 0.01 / (rate / 2)
    edges = 1000 * 10 ** ((np.arange(-16, 15) - 0.5) / 10)
    expected = density * np.diff(np.minimum(edges, rate / 2))
    np.testing.assert_allclose(10 * np.log10(powers[6:] / expected[6:]), 0, atol=0.6)
    assert powers.sum() == pytest.approx(expected.sum(), rel=0.01)


def test_a_series_of_blocks_is_the_same_as_one() -> None:
    """A hit across the border of two blocks of ten seconds counts once, wherever the border falls."""
    signal = np.zeros((1, RATE * 21), np.float32)
    signal[0, RATE * 10 - 100 : RATE * 10 + 100] = 0.5
    shifted = np.roll(signal, -RATE * 5)
    across, inside = analysis_of(signal, RATE), analysis_of(shifted, RATE)
    np.testing.assert_allclose(across.k_power[98:104], inside.k_power[48:54], rtol=1e-4, atol=1e-12)
    np.testing.assert_allclose(across.bands.sum(axis=0), inside.bands.sum(axis=0), rtol=0.35, atol=1e-7)
    assert across.bands.sum() == pytest.approx(inside.bands.sum(), rel=0.01)


def test_what_is_kept_is_read_back_as_it_was(tmp_path) -> None:
    analysis = analysis_of(sung(-60.0), RATE)
    analysis.save(tmp_path / "m.npz")
    back = StemAnalysis.load(tmp_path / "m.npz")
    assert (back.frames, back.channels, back.true_peak) == (analysis.frames, 1, analysis.true_peak)
    assert back.phrases() == analysis.phrases()
    np.testing.assert_array_equal(back.bands, analysis.bands)


def test_clipping_is_three_samples_at_full_scale_in_a_row() -> None:
    signal = np.zeros((2, 1000), np.float32)
    signal[0, 100:105] = 1.0
    signal[1, 200:203] = -1.0
    signal[1, 300:302] = 1.0  # two in a row are a loud peak
    assert clipped_samples(signal) == 8


def test_the_overview_keeps_every_peak_at_every_zoom() -> None:
    signal = np.zeros((1, RATE * 10), np.float32)
    signal[0, RATE * 10 // 3] = -0.7
    analysis = analysis_of(signal, RATE)
    for start, end, columns, place in ((0, 10, 10, 3), (3, 4, 100, 33), (3.2, 3.4, 20, 13), (0, 100, 50, 1)):
        overview = analysis.overview(start, end, columns)
        assert overview.shape == (columns,)
        assert np.flatnonzero(overview).tolist() == [place]
        assert overview.max() == pytest.approx(0.7)
    assert not analysis.overview(-5, 0, 10).any()


def test_an_end_that_is_put_elsewhere_stays_in_its_phrase_and_the_gap_after_it() -> None:
    found = tuple(Phrase(start_s=start, end_s=end) for start, end in PHRASES)
    moved = with_ends(found, {1.7: 2.0, 3.1: 9.0, 6.25: 0.0, 5.55: 1.0})
    assert [round(phrase.end_s, 2) for phrase in moved] == [2.0, 4.0, 4.06]
    assert [phrase.start_s for phrase in moved] == [start for start, _ in PHRASES]
    assert with_ends(found, {}) == found
    assert with_ends((), {1.0: 2.0}) == ()
