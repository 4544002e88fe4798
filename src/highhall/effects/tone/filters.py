"""From filters to second-order sections.

Analogue prototypes as in the plan format, bilinear transform pre-warped at the filter's frequency: with
K = tan(pi hz / rate), s = (1 - z^-1) / (K (1 + z^-1)).

References
----------
R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients" (bell, shelf, notch;
W3C Note, 2021). S. Butterworth, "On the theory of filter amplifiers" (1930), for the cuts.
"""

import math
from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from highhall.effects.signals import Coefficients
from highhall.plan.model import Filter

HIGHEST_SHARE = 0.49
"""Of the sample rate: no frequency that moves goes over it."""

Prototype = tuple[tuple[float, float, float], tuple[float, float, float]]
"""Numerator and denominator of H(s), each as (constant, s, s squared)."""


def sections_of(filters: Iterable[Filter], sample_rate: int) -> Coefficients:
    """Return the second-order sections of all filters that are on.

    Returns
    -------
    (sections, 5): b0, b1, b2, a1, a2 with a0 = 1. No filter gives no section.
    """
    rows = [
        _digital(prototype, filter_.hz, sample_rate)
        for filter_ in filters
        if filter_.on
        for prototype in _prototypes(filter_)
    ]
    return np.array(rows, np.float64).reshape(-1, 5)


def _prototypes(filter_: Filter) -> Iterator[Prototype]:
    amplitude, q = 10 ** (filter_.gain_db / 40), filter_.q
    root = math.sqrt(amplitude)
    match filter_.shape:
        case "low_cut" | "high_cut":
            yield from _butterworth(filter_.slope_db_oct // 6, is_low_cut=filter_.shape == "low_cut")
        case "bell":
            yield (1, amplitude / q, 1), (1, 1 / (amplitude * q), 1)
        case "notch":
            yield (1, 0, 1), (1, 1 / q, 1)
        case "low_shelf":
            yield (amplitude**2, amplitude * root / q, amplitude), (1, root / q, amplitude)
        case "high_shelf":
            yield (amplitude, amplitude * root / q, amplitude**2), (amplitude, root / q, 1)
        case unknown:
            raise ValueError(f"no such filter shape: {unknown}")


def _butterworth(order: int, *, is_low_cut: bool) -> Iterator[Prototype]:
    for pair in range(order // 2):
        damping = 2 * math.sin(math.pi * (2 * pair + 1) / (2 * order))
        yield ((0, 0, 1) if is_low_cut else (1, 0, 0)), (1, damping, 1)
    if order % 2:
        yield ((0, 1, 0) if is_low_cut else (1, 0, 0)), (1, 1, 0)


def _digital(prototype: Prototype, hz: float, sample_rate: int) -> list[float]:
    """Substitute s and clear denominators by K^2 (1 + z^-1)^2, or K (1 + z^-1) for first order."""
    k = math.tan(math.pi * hz / sample_rate)
    (b0, b1, b2), (a0, a1, a2) = prototype
    if b2 == 0 == a2:
        scale = a0 * k + a1
        return [(b0 * k + b1) / scale, (b0 * k - b1) / scale, 0.0, (a0 * k - a1) / scale, 0.0]
    (b0, b1, b2), (a0, a1, a2) = (
        (c0 * k * k + c1 * k + c2, 2 * (c0 * k * k - c2), c0 * k * k - c1 * k + c2) for c0, c1, c2 in prototype
    )
    return [b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0]


def response_db(
    filters: Iterable[Filter], frequencies_hz: NDArray[np.float64], sample_rate: int
) -> NDArray[np.float64]:
    """Return the gain of the digital filters in dB at each frequency; -200 dB at the least."""
    z = np.exp(-2j * np.pi * frequencies_hz / sample_rate)
    power = np.ones_like(frequencies_hz)
    for b0, b1, b2, a1, a2 in sections_of(filters, sample_rate):
        power *= np.abs((b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)) ** 2
    result: NDArray[np.float64] = 10 * np.log10(np.maximum(power, 1e-20))
    return result
