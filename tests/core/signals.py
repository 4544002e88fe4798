"""Signals with known answers, and songs to put them in."""

import numpy as np

from highhall.plan import Song, Tempo
from highhall.timing import Meter, Position

RATE = 48000


def make_song(*, bpm: float = 120.0, bars: int = 64, sample_rate: int = RATE, tempos: tuple[Tempo, ...] = ()) -> Song:
    return Song(
        title="Test",
        sample_rate=sample_rate,
        meters=(Meter(1, 4, 4),),
        tempos=tempos or (Tempo(at=Position(1), bpm=bpm),),
        end=Position(bars + 1),
    )


def impulse(seconds: float, *, side: int | None = None, rate: int = RATE) -> np.ndarray:
    signal = np.zeros((2, int(seconds * rate)), np.float32)
    signal[slice(None) if side is None else side, 0] = 1.0
    return signal


def pink_noise(frames: int, rng: np.random.Generator, rate: int = RATE) -> np.ndarray:
    """Uncorrelated stereo noise of equal power in each octave from 20 Hz to 20 kHz, RMS 0.1 a side."""
    frequencies = np.fft.rfftfreq(frames, 1 / rate)
    inside = (frequencies >= 20) & (frequencies <= 20000)
    shape = np.where(inside, 1 / np.sqrt(np.maximum(frequencies, 1)), 0)
    signal = np.fft.irfft(np.fft.rfft(rng.standard_normal((2, frames)), axis=1) * shape, frames, axis=1)
    return (0.1 * signal / np.sqrt(np.mean(signal**2, axis=1, keepdims=True))).astype(np.float32)


def power(signal: np.ndarray) -> float:
    """Mean power summed over sides."""
    return float(np.sum(np.mean(signal.astype(np.float64) ** 2, axis=1)))


def db(ratio: float) -> float:
    return 10 * np.log10(ratio)
