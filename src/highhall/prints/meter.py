"""Loudness and peaks of a part while it is written."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.effects import Signal
from highhall.measure.loudness import HopPowers, gated_loudness
from highhall.measure.true_peak import TruePeak

_LEAST = 10 ** (-150 / 20)


@dataclass(frozen=True, slots=True, eq=False)
class Figures:
    """loudness_lufs: gated (BS.1770-4), None for silence. true_peak_db: dBTP. peaks: the largest magnitude of every 100 ms."""

    loudness_lufs: float | None
    true_peak_db: float
    peaks: NDArray[np.float32]


class Meter:
    """Listens to a stereo part block by block."""

    def __init__(self, sample_rate: int) -> None:
        self._power_of, self._true_peak = HopPowers(sample_rate), TruePeak()
        self._rest = np.zeros((2, 0), np.float32)
        self._powers: list[NDArray[np.float64]] = []
        self._peaks: list[NDArray[np.float32]] = []

    def add(self, block: Signal) -> None:
        """Take the next block, (2, frames)."""
        self._true_peak.add(block)
        waiting = np.concatenate([self._rest, block], axis=1)
        whole = waiting.shape[1] // self._power_of.hop * self._power_of.hop
        self._take(waiting[:, :whole])
        self._rest = waiting[:, whole:]

    def _take(self, sound: Signal) -> None:
        self._powers.append(self._power_of(sound))
        edges = np.arange(0, sound.shape[1], self._power_of.hop)
        if edges.size:
            highest, lowest = np.maximum.reduceat(sound, edges, axis=1), np.minimum.reduceat(sound, edges, axis=1)
            self._peaks.append(np.maximum(highest, -lowest).max(axis=0))

    def finish(self) -> Figures:
        """Return what was heard."""
        self._take(self._rest)
        powers = np.concatenate([np.zeros(0), *self._powers])
        peaks = np.concatenate([np.zeros(0, np.float32), *self._peaks])
        peak, loudness = self._true_peak.finish(), gated_loudness(powers)
        return Figures(
            loudness_lufs=None if math.isinf(loudness) else round(loudness, 2),
            true_peak_db=round(20 * math.log10(max(peak, _LEAST)), 2),
            peaks=peaks,
        )
