"""Integrated loudness of stereo sound.

References
----------
ITU-R BS.1770-4 (2015), Annex 1: K-weighting, 400 ms blocks with 75 % overlap, gates at -70 LUFS and
10 LU below the mean. The filters are given there for 48 kHz; here they are the same analogue shapes by
bilinear transform at any rate.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.effects.tone.effect import SectionFilter
from highhall.errors import CoreError

_SHELF_HZ, _SHELF_DB, _SHELF_Q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
_CUT_HZ, _CUT_Q = 38.13547087602444, 0.5003270373238773


def k_weighting(sample_rate: int) -> NDArray[np.float64]:
    """Return the two sections of the K filter, (2, 6), as `scipy.signal.sosfilt` takes them."""
    k = math.tan(math.pi * _SHELF_HZ / sample_rate)
    high, band = 10 ** (_SHELF_DB / 20), (10 ** (_SHELF_DB / 20)) ** 0.4996667741545416
    a0 = 1 + k / _SHELF_Q + k * k
    shelf = [
        (high + band * k / _SHELF_Q + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / _SHELF_Q + k * k) / a0,
        1.0, 2 * (k * k - 1) / a0, (1 - k / _SHELF_Q + k * k) / a0,
    ]  # fmt: skip
    k = math.tan(math.pi * _CUT_HZ / sample_rate)
    a0 = 1 + k / _CUT_Q + k * k
    cut = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / _CUT_Q + k * k) / a0]
    return np.array([shelf, cut])


def k_gain(hz: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
    """Return the K filter's power gain at each frequency."""
    _, response = scipy_signal.sosfreqz(k_weighting(sample_rate), hz, fs=sample_rate)
    gains: NDArray[np.float64] = np.abs(response) ** 2
    return gains


def k_weighted(audio: NDArray[np.floating], sample_rate: int) -> NDArray[np.float64]:
    """Return sound, (channels, frames), through the K filter."""
    filtered: NDArray[np.float64] = scipy_signal.sosfilt(k_weighting(sample_rate), audio.astype(np.float64), axis=-1)
    return filtered


class KFilter:
    """The K filter, carried on from block to block of sounds of one shape, (..., frames) with `shape` before the frames."""

    def __init__(self, sample_rate: int, shape: tuple[int, ...]) -> None:
        self._sections, self._shape = np.delete(k_weighting(sample_rate), 3, axis=1), shape
        self.reset()

    def reset(self) -> None:
        """Begin again, after silence."""
        self._filters = [SectionFilter(self._sections) for _ in range(0, math.prod(self._shape), 2)]

    def __call__(self, block: NDArray[np.floating]) -> NDArray[np.float32]:
        """Return the next block, weighted."""
        rows = math.prod(self._shape)
        weighted = np.zeros((2 * len(self._filters), block.shape[-1]), np.float32)
        weighted[:rows] = block.reshape(rows, -1)
        for pair, filter_ in enumerate(self._filters):
            both = slice(2 * pair, 2 * pair + 2)
            weighted[both] = filter_.process(weighted[both])
        return weighted[:rows].reshape(block.shape)


def integrated_loudness(audio: NDArray[np.floating], sample_rate: int) -> float:
    """Return the gated loudness of (channels, frames) in LUFS; -inf for silence.

    Raises
    ------
    CoreError
        If the sound is shorter than one block of 400 ms.
    """
    hop = round(0.1 * sample_rate)
    if audio.shape[-1] < 4 * hop:
        raise CoreError(f"loudness needs at least 0.4 s of sound, got {audio.shape[-1] / sample_rate:.2f} s")
    energy = np.sum(k_weighted(audio, sample_rate) ** 2, axis=0)
    return gated_loudness(energy[: len(energy) // hop * hop].reshape(-1, hop).mean(axis=1))


def gated_loudness(hops: NDArray[np.floating]) -> float:
    """Return the gated loudness in LUFS from K-weighted power, summed over sides, of every 100 ms; -inf for silence."""
    if len(hops) < 4:
        return -math.inf
    blocks = np.convolve(hops.astype(np.float64), np.full(4, 0.25), "valid")
    heard = blocks[blocks > _power_of(-70)]
    if not heard.size:
        return -math.inf
    gated = heard[heard > heard.mean() / 10]
    return -0.691 + 10 * math.log10(float(gated.mean()))


def _power_of(lufs: float) -> float:
    return float(10 ** ((lufs + 0.691) / 10))
