"""The pan law of the plan format.

theta = (pan + 1) pi / 4; mono sources left cos theta, right sin theta; stereo ones sqrt(2) times as much.
"""

import math

import numpy as np
from numpy.typing import NDArray

Gain = float | NDArray[np.float64]
_MONO = math.cos(math.pi / 4)


def side_gains(pan: Gain) -> tuple[Gain, Gain]:
    """Return left and right factors of a stereo source at `pan`; 1 in the centre."""
    theta = (np.asarray(pan) + 1) * (np.pi / 4)
    left, right = math.sqrt(2) * np.cos(theta), math.sqrt(2) * np.sin(theta)
    return (left, right) if left.ndim else (float(left), float(right))


def mono_gains(pan: float) -> tuple[float, float]:
    """Return left and right factors of a mono source at `pan`; -3.01 dB in the centre."""
    left, right = side_gains(pan)
    return float(left) * _MONO, float(right) * _MONO
