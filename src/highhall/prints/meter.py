"""Loudness and peaks of a part while it is written."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from highhall.effects import Signal
from highhall.measure.loudness import KFilter, gated_loudness
from highhall.measure.stem_analysis import HOP_S
from highhall.measure.true_peak import TruePeak

_LEAST = 10 ** (-150 / 20)


@njit("void(float32[:,::1], float32[:,::1], float64[::1], float32[::1])", nogil=True, cache=True)
def _listen(weighted: Signal, sound: Signal, powers: NDArray[np.float64], peaks: NDArray[np.float32]) -> None:
    """Write the mean power of both sides, weighted, and the largest magnitude of every hop, (hops,)."""
    hop = sound.shape[1] // len(powers)
    for index in range(len(powers)):
        power, peak = 0.0, np.float32(0)
        for n in range(index * hop, (index + 1) * hop):
            left, right = np.float64(weighted[0, n]), np.float64(weighted[1, n])
            power += left * left + right * right
            peak = max(peak, abs(sound[0, n]), abs(sound[1, n]))
        powers[index], peaks[index] = power / hop, peak


@dataclass(frozen=True, slots=True, eq=False)
class Figures:
    """loudness_lufs: gated (BS.1770-4), None for silence. true_peak_db: dBTP. peaks: the largest magnitude of every 100 ms."""

    loudness_lufs: float | None
    true_peak_db: float
    peaks: NDArray[np.float32]


class Meter:
    """Listens to a stereo part block by block."""

    def __init__(self, sample_rate: int) -> None:
        self._hop = round(HOP_S * sample_rate)
        self._weighting, self._true_peak = KFilter(sample_rate, (2,)), TruePeak()
        self._rest = np.zeros((2, 0), np.float32)
        self._powers: list[NDArray[np.float64]] = []
        self._peaks: list[NDArray[np.float32]] = []

    def add(self, block: Signal) -> None:
        """Take the next block, (2, frames)."""
        self._true_peak.add(block)
        waiting = np.concatenate([self._rest, block], axis=1)
        whole = waiting.shape[1] // self._hop * self._hop
        self._take(waiting[:, :whole])
        self._rest = waiting[:, whole:]

    def _take(self, sound: Signal) -> None:
        if sound.shape[1]:
            hops = sound.shape[1] // self._hop
            powers, peaks = np.empty(hops), np.empty(hops, np.float32)
            _listen(self._weighting(sound), np.ascontiguousarray(sound), powers, peaks)
            self._powers.append(powers)
            self._peaks.append(peaks)

    def finish(self) -> Figures:
        """Return what was heard."""
        self._take(np.pad(self._rest, ((0, 0), (0, -self._rest.shape[1] % self._hop))))
        powers = np.concatenate([np.zeros(0), *self._powers])
        peaks = np.concatenate([np.zeros(0, np.float32), *self._peaks])
        peak, loudness = self._true_peak.finish(), gated_loudness(powers)
        return Figures(
            loudness_lufs=None if math.isinf(loudness) else round(loudness, 2),
            true_peak_db=round(20 * math.log10(max(peak, _LEAST)), 2),
            peaks=peaks,
        )
