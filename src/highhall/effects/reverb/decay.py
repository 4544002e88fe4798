"""How fast each delay line has to lose energy, and the two shelves that make it so.

A line of m samples in a loop that decays by 60 dB in T needs the gain 10^(-3 m / (rate T)) a pass. Two
first-order shelves with a gain between them give that gain exactly far below `low_hz`, far above
`high_hz`, and at the geometric middle of the two.

References
----------
J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial reverberators",
90th AES Convention (1991), eq. 10.
"""

from dataclasses import dataclass
from typing import Self

import numpy as np
from numpy.typing import NDArray

from highhall.effects.signals import Coefficients
from highhall.plan.model import Effect

_FLOOR = -4.0
"""Decades: a loss of 80 dB a pass is silence, and steeper shelves only lose precision."""


DECAY_PARAMETERS = ("decay_s", "low_ratio", "low_hz", "high_ratio", "high_hz")
"""What of a reverb effect makes its decay curve, in the order of `DecayCurve`."""

_ROUNDS = 12
_Lines = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class DecayCurve:
    """Seconds to -60 dB, by frequency: three plateaus with first-order transitions.

    Each value is a number, or (moments, 1) where the decay moves.
    """

    decay_s: float | _Lines
    low_ratio: float | _Lines
    low_hz: float | _Lines
    high_ratio: float | _Lines
    high_hz: float | _Lines

    @classmethod
    def of(cls, effect: Effect) -> Self:
        """Return the curve of a reverb effect."""
        return cls(**{name: effect.number(name) for name in DECAY_PARAMETERS})

    @property
    def longest_s(self) -> float:
        """The longest decay of any band, at any moment."""
        ratios = np.maximum(np.maximum(self.low_ratio, self.high_ratio), 1.0)
        return float(np.max(self.decay_s * ratios))

    def shelves(self, line_samples: NDArray[np.int64], sample_rate: int) -> Coefficients:
        """Return per line the coefficients of gain x low shelf x high shelf.

        Returns
        -------
        (6, lines) or (6, moments, lines): low b0, b1, a1, then high b0, b1, a1; the gain is in the low shelf.
        """
        per_second = -3 * line_samples / sample_rate  # decades a pass, times seconds
        at_middle = np.maximum(per_second / self.decay_s, _FLOOR)
        at_dc = np.maximum(per_second / self.decay_s / self.low_ratio, _FLOOR)
        at_nyquist = np.maximum(per_second / self.decay_s / self.high_ratio, _FLOOR)
        middle_hz = np.sqrt(self.low_hz * self.high_hz)
        gain = at_middle
        for _ in range(_ROUNDS):  # the shelves reach into the middle: correct for what they do there
            low = _low_shelf(at_dc - gain, self.low_hz, sample_rate)
            high = _high_shelf(at_nyquist - gain, self.high_hz, sample_rate)
            reach = _decades_at(low, middle_hz, sample_rate) + _decades_at(high, middle_hz, sample_rate)
            gain = np.clip(at_middle - reach, _FLOOR, 0.0)  # above 1 the loop would grow
        low = _low_shelf(at_dc - gain, self.low_hz, sample_rate)
        high = _high_shelf(at_nyquist - gain, self.high_hz, sample_rate)
        low[:2] *= 10.0**gain
        return np.concatenate([low, high])

    def seconds_at(
        self, frequencies_hz: NDArray[np.float64], line_samples: NDArray[np.int64], sample_rate: int
    ) -> NDArray[np.float64]:
        """Return the decay that the shelves of these lines give at each frequency, (frequencies,); of one moment.

        The loss a second of the whole network is the lines' total loss over their total length.
        """
        shelves = self.shelves(line_samples, sample_rate)
        losses = [
            np.sum(_decades_at(shelves[:3], hz, sample_rate) + _decades_at(shelves[3:], hz, sample_rate))
            for hz in frequencies_hz
        ]
        return -3 * np.sum(line_samples) / sample_rate / np.array(losses)


def _low_shelf(decades: _Lines, hz: float | _Lines, sample_rate: int) -> Coefficients:
    """First-order shelf of 10^decades at DC and 1 at Nyquist, symmetric about `hz`: (3, ..., lines)."""
    k, root = np.tan(np.pi * hz / sample_rate), 10.0 ** (decades / 2)
    a0 = 1 + k / root
    return np.stack([(1 + k * root) / a0, (k * root - 1) / a0, (k / root - 1) / a0])


def _high_shelf(decades: _Lines, hz: float | _Lines, sample_rate: int) -> Coefficients:
    """First-order shelf of 1 at DC and 10^decades at Nyquist, symmetric about `hz`: (3, ..., lines)."""
    k, root = np.tan(np.pi * np.minimum(hz, 0.45 * sample_rate) / sample_rate), 10.0 ** (decades / 2)
    a0 = 1 / root + k
    return np.stack([(root + k) / a0, (k - root) / a0, (k - 1 / root) / a0])


def _decades_at(shelf: Coefficients, hz: float | _Lines, sample_rate: int) -> _Lines:
    cosine = np.cos(2 * np.pi * hz / sample_rate)
    b0, b1, a1 = shelf
    power = (b0 * b0 + b1 * b1 + 2 * b0 * b1 * cosine) / (1 + a1 * a1 + 2 * a1 * cosine)
    result: _Lines = 0.5 * np.log10(power)
    return result
