"""What a stem is like, on signals of which it is known."""

import numpy as np
import pytest

from highhall.measure.material import clipped_samples, frame_levels_db, material_of, peak_overview, phrases_over
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
    found = material_of(sung(floor_db, release_s=release_s), RATE).phrases
    assert len(found) == len(PHRASES)
    for phrase, (start, end) in zip(found, PHRASES, strict=True):
        assert phrase.start_s == pytest.approx(start, abs=0.05)
        assert phrase.end_s == pytest.approx(end, abs=0.05)


def test_a_threshold_of_ones_own_is_kept_to() -> None:
    material = material_of(sung(-60.0), RATE, threshold_db=-70.0)
    assert material.threshold_db == -70.0
    assert len(material.phrases) == 1
    assert material.sounding_share == pytest.approx(1.0, abs=0.01)


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
    found = material_of(signal[None].astype(np.float32), RATE).phrases
    assert [round(p.start_s, 1) for p in found] == [10.0, 30.0, 50.0]
    assert [round(p.end_s, 1) for p in found] == [10.2, 30.2, 50.2]


def test_nothing_but_a_noise_floor_has_no_phrase() -> None:
    noise = 10 ** (-84 / 20) * np.random.default_rng(2).standard_normal((1, RATE * 5))
    assert material_of(noise.astype(np.float32), RATE).phrases == ()


def test_silence_has_no_level_and_no_phrase() -> None:
    material = material_of(np.zeros((2, RATE), np.float32), RATE)
    assert (material.peak_db, material.loudness_lufs, material.phrases) == (None, None, ())


def test_levels_loudness_and_dc_are_those_of_the_signal() -> None:
    time = np.arange(RATE * 4) / RATE
    signal = (0.1 * np.sin(2 * np.pi * 1000 * time) + 0.02)[None].astype(np.float32)
    material = material_of(signal, RATE)
    assert material.peak_db == pytest.approx(20 * np.log10(0.12), abs=0.01)
    assert material.dc == pytest.approx(0.02, abs=1e-4)
    # A mono sine of -20 dBFS in the centre: -23.01 dBFS a side, which BS.1770 reads as -23.0 LUFS.
    assert material.loudness_lufs == pytest.approx(-23.0, abs=0.1)
    assert frame_levels_db(signal, RATE)[100] == pytest.approx(10 * np.log10(0.005 + 0.0004), abs=0.1)


def test_clipping_is_three_samples_at_full_scale_in_a_row() -> None:
    signal = np.zeros((2, 1000), np.float32)
    signal[0, 100:105] = 1.0
    signal[1, 200:203] = -1.0
    signal[1, 300:302] = 1.0  # two in a row are a loud peak
    assert clipped_samples(signal) == 8


def test_the_overview_keeps_every_peak() -> None:
    signal = np.zeros((1, 1001), np.float32)
    signal[0, 333] = -0.7
    overview = peak_overview(signal, 10)
    assert overview.shape == (10,)
    assert np.flatnonzero(overview).tolist() == [3]
    assert overview.max() == pytest.approx(0.7)
    assert not peak_overview(np.zeros((1, 0), np.float32), 4).any()
