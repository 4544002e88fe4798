"""Spectra compared by third octave: which share of a sound lies in a range, and curves to draw."""

import numpy as np
from numpy.typing import NDArray

from highhall.measure.third_octaves import CENTRES_HZ

_HZ = np.array(CENTRES_HZ)
HEARD = (_HZ > 90) & (_HZ < 9000)
"""Where shares are taken of: what spaces and instruments have in common."""


def between(low_hz: float, high_hz: float) -> NDArray[np.bool_]:
    """Return which third octaves lie between two frequencies."""
    inside: NDArray[np.bool_] = (low_hz <= _HZ) & (high_hz >= _HZ)
    return inside


def share_db(powers: NDArray[np.float64], inside: NDArray[np.bool_]) -> float:
    """Return how much of a sound, (bands,), lies in a range, in dB over all else that is heard of it; -inf for silence."""
    rest = float(powers[HEARD & ~inside].sum())
    part = float(powers[inside].sum())
    return 10 * float(np.log10(part / rest)) if rest > 0 and part > 0 else -np.inf


def curve(powers: NDArray[np.float64], inside: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Return a sound's levels by third octave over all that is heard of it outside a range, as (Hz, dB).

    So two curves lie apart in the range by as much as their shares of it do.
    """
    rest = max(float(powers[HEARD & ~inside].sum()), 1e-30)
    levels = 10 * np.log10(np.maximum(powers / rest, 1e-6))
    return [(float(hz), round(float(level), 2)) for hz, level in zip(CENTRES_HZ, levels, strict=True)]
