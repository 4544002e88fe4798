"""Faders and width on blocks of sound."""

import numpy as np
from numpy.typing import NDArray

from highhall.curves import Curve, gain_of_db
from highhall.effects import Signal
from highhall.effects.panning import Gain, mono_gains, side_gains


def track_gains(channels: int, level_db: float | None, pan: float) -> tuple[float, float]:
    """Return the left and right factors of a mono or stereo source at a level and pan."""
    left, right = mono_gains(pan) if channels == 1 else side_gains(pan)
    gain = gain_of_db(level_db)
    return gain * float(left), gain * float(right)


class Fader:
    """Level, switch and pan of a send or return, each of which may move."""

    def __init__(self, *, level: Curve, switch: Curve, pan: Curve) -> None:
        self._level = level
        self._switch = switch
        self._pan = pan
        self.is_closed = level.constant == 0.0 or switch.constant == 0.0
        """Whether nothing ever passes."""
        is_still = all(curve.constant is not None for curve in self.curves)
        still = self._read_gains(0, 1) if is_still else None
        self._still = None if still is None else (float(still[0]), float(still[1]))

    @property
    def still(self) -> tuple[float, float] | None:
        """The left and right factors if they never change."""
        return self._still

    def gains(self, start: int, stop: int) -> tuple[Gain, Gain]:
        """Return the left and right factors between two samples, each a number or (frames,)."""
        return self._read_gains(start, stop) if self._still is None else self._still

    def _read_gains(self, start: int, stop: int) -> tuple[Gain, Gain]:
        gain = self._level.between(start, stop) * self._switch.between(start, stop)
        left, right = side_gains(self._pan.between(start, stop))
        return gain * left, gain * right

    @property
    def curves(self) -> tuple[Curve, ...]:
        """All that the fader depends on."""
        return self._level, self._switch, self._pan


def add_faded(bus: Signal, source: Signal, gains: tuple[Gain, Gain]) -> None:
    """Add a stereo source to a bus, side by side, through its fader."""
    for side, gain in enumerate(gains):
        bus[side] += source[side] * _factor(gain)


def faded(source: Signal | tuple[Signal, Signal], gains: tuple[Gain, Gain]) -> Signal:
    """Return a stereo source, or two sides of (frames,), through its fader."""
    out = np.empty((2, len(source[0])), np.float32)
    for side, gain in enumerate(gains):
        np.multiply(source[side], _factor(gain), out=out[side])
    return out


def _factor(gain: Gain) -> np.float32 | NDArray[np.float32]:
    return np.float32(gain) if isinstance(gain, float) else gain.astype(np.float32)


def widened(source: Signal, width: Gain) -> Signal:
    """Return a stereo signal with its side, (L - R) / 2, multiplied by `width`."""
    if isinstance(width, float) and width == 1.0:
        return source
    factor = _factor(width)
    middle, side = source[0] + source[1], source[0] - source[1]
    middle *= np.float32(0.5)
    side *= np.float32(0.5) * factor
    out = np.empty_like(source)
    np.add(middle, side, out=out[0])
    np.subtract(middle, side, out=out[1])
    return out
