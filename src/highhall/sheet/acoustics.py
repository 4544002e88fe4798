"""Figures by which another reverb is matched: how much comes early, and how soon the echoes are dense.

References
----------
ISO 3382-1:2009, clarity C80: energy of the first 80 ms over all that comes later.
J. S. Abel and P. Huang, "A simple, robust measure of reverberation echo density", AES 121 (2006), paper 6985: the share of samples
outside of one standard deviation in a sliding window, over what it is for Gaussian noise.
"""

import math

import numpy as np
from numpy.typing import NDArray

_EARLY_S = 0.08
_WINDOW_S = 0.02
_DENSE = 0.9
_FOUND = 10 ** (-40 / 20)
_GAUSSIAN = math.erfc(1 / math.sqrt(2))


def clarity_db(response: NDArray[np.floating], sample_rate: int) -> float | None:
    """Return C80 of (channels, frames) from its first sound on, in dB; None where nothing comes later, or nothing at all."""
    energy = np.sum(response.astype(np.float64) ** 2, axis=0)[_first(response) :]
    edge = round(_EARLY_S * sample_rate)
    early, late = float(energy[:edge].sum()), float(energy[edge:].sum())
    return 10 * math.log10(early / late) if early > 0 and late > 0 else None


def dense_after_s(response: NDArray[np.floating], sample_rate: int) -> float | None:
    """Return when echoes are nine tenths as dense as noise, in seconds after the first sound; None if they never are."""
    sound = response.astype(np.float64).mean(axis=0)[_first(response) :]
    size = round(_WINDOW_S * sample_rate)
    step = max(size // 4, 1)
    for start in range(0, len(sound) - size, step):
        window = sound[start : start + size]
        deviation = window.std()
        if deviation > 0 and float(np.mean(np.abs(window) > deviation)) / _GAUSSIAN >= _DENSE:
            return (start + size / 2) / sample_rate
    return None


def _first(response: NDArray[np.floating]) -> int:
    magnitudes = np.abs(response).max(axis=0)
    return int(np.argmax(magnitudes >= _FOUND * magnitudes.max()))
