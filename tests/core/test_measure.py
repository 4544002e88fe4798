"""Loudness against the standard's own signals and a library, decay against closed forms."""

import numpy as np
import pyloudnorm
import pytest

from highhall.errors import CoreError
from highhall.measure import decay_by_band, integrated_loudness, reverberation_time
from tests.core.signals import RATE, pink_noise


def tone(level_dbfs: float, seconds: float, hz: float = 1000.0) -> np.ndarray:
    return np.tile(10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(int(seconds * RATE)) / RATE), (2, 1))


def test_a_stereo_sine_at_minus_23_dbfs_reads_minus_23_lufs() -> None:
    """EBU Tech 3341, case 1."""
    assert integrated_loudness(tone(-23, 20), RATE) == pytest.approx(-23.0, abs=0.1)


def test_quiet_stretches_are_gated() -> None:
    """EBU Tech 3341, case 3."""
    signal = np.concatenate([tone(-36, 10), tone(-23, 60), tone(-36, 10)], axis=1)
    assert integrated_loudness(signal, RATE) == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("rate", [44100, 48000])
def test_loudness_agrees_with_a_library(rate: int) -> None:
    noise = pink_noise(rate * 5, np.random.default_rng(1), rate)
    expected = pyloudnorm.Meter(rate).integrated_loudness(noise.T.astype(np.float64))
    assert integrated_loudness(noise, rate) == pytest.approx(expected, abs=0.1)


def test_silence_is_infinitely_quiet_and_a_moment_is_refused() -> None:
    assert integrated_loudness(np.zeros((2, RATE)), RATE) == -np.inf
    with pytest.raises(CoreError, match=r"at least 0\.4 s"):
        integrated_loudness(np.zeros((2, 1000)), RATE)


@pytest.mark.parametrize("seconds", [0.3, 2.0])
def test_an_exponential_decay_has_its_own_time(seconds: float) -> None:
    time = np.arange(int(1.5 * seconds * RATE)) / RATE
    assert reverberation_time(10 ** (-6 * time / seconds), RATE) == pytest.approx(seconds, rel=1e-3)


def test_bands_are_told_apart() -> None:
    time = np.arange(3 * RATE) / RATE
    noise = np.random.default_rng(2).standard_normal((8, len(time)))
    spectrum = np.fft.rfft(noise, axis=1)
    frequencies = np.fft.rfftfreq(len(time), 1 / RATE)
    low = np.fft.irfft(spectrum * (frequencies < 700), len(time)) * 10 ** (-3 * time / 2.0)
    high = np.fft.irfft(spectrum * (frequencies >= 700), len(time)) * 10 ** (-3 * time / 0.8)
    readings = {r.centre_hz: r.t30_s for r in decay_by_band(low + high, RATE)}
    assert readings[250] == pytest.approx(2.0, rel=0.05)
    assert readings[4000] == pytest.approx(0.8, rel=0.05)


def test_a_response_that_is_too_short_has_no_reading() -> None:
    assert all(r.t30_s is None for r in decay_by_band(np.ones((1, 8)), RATE))
