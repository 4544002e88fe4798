"""Decay times of impulse responses by backward integration.

References
----------
M. R. Schroeder, "New method of measuring reverberation time", J. Acoust. Soc. Am. 37, 409-412 (1965).
ISO 3382-1:2009: T30 from the line fitted between -5 and -35 dB. IEC 61260-1: octave bands.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.effects.decay_time import reverberation_time
from highhall.errors import CoreError

OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)


@dataclass(frozen=True, slots=True)
class DecayReading:
    """The decay in one octave band, in seconds to -60 dB; None if the response is too short for it."""

    centre_hz: float
    t30_s: float | None


def octaves_hz(sample_rate: int) -> list[float]:
    """Return the middles of the octaves that fit below half the sample rate."""
    return [hz for hz in OCTAVES_HZ if hz * 2**0.5 <= 0.49 * sample_rate]


def decay_by_band(responses: NDArray[np.floating], sample_rate: int) -> tuple[DecayReading, ...]:
    """Return T30 by octave from one or several impulse responses, (responses, frames).

    The energies of all responses are added before integration: one response alone is not enough for
    low bands, where few modes sound.
    """
    readings = []
    for centre_hz in octaves_hz(sample_rate):
        edges = (centre_hz / 2**0.5, centre_hz * 2**0.5)
        band = scipy_signal.butter(4, edges, "bandpass", fs=sample_rate, output="sos")
        filtered = scipy_signal.sosfilt(band, np.atleast_2d(responses).astype(np.float64), axis=-1)
        try:
            reading = reverberation_time(np.sum(filtered**2, axis=0), sample_rate)
        except CoreError:
            readings.append(DecayReading(centre_hz, None))
        else:
            readings.append(DecayReading(centre_hz, reading))
    return tuple(readings)
