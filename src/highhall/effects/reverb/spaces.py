"""What makes each space itself: its lines, its diffusers, its wandering and its first reflections."""

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A shoebox room in metres, with a source and two ears, for image sources."""

    size: tuple[float, float, float]
    source: tuple[float, float, float]
    listener: tuple[float, float, float]
    ear_distance: float
    reflection: float
    taps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """Dimensions at size 1. Lines are spread evenly in the logarithm between two delays."""

    shortest_line_ms: float
    longest_line_ms: float
    diffuser_ms: tuple[float, ...]
    diffuser_gain: float
    wander_ms: float
    seed: int
    box: Box | None = None
    onset_ms: tuple[float, ...] = ()


SPACES: Mapping[str, Space] = {
    "plate": Space(
        # No geometry: a sheet answers at once and densely, so its early part is a burst of close taps.
        shortest_line_ms=14,
        longest_line_ms=62,
        diffuser_ms=(1.3, 2.1, 3.4, 5.1, 7.7, 11.9),
        diffuser_gain=0.65,
        wander_ms=0.42,
        seed=3,
        onset_ms=(0.0, 2.9, 6.1, 10.7, 15.3),
    ),
    "hall": Space(
        # First reflections of a shoebox hall of 26 x 40 x 15 m, heard from the middle of its stalls.
        shortest_line_ms=38,
        longest_line_ms=112,
        diffuser_ms=(2.1, 3.4, 5.9, 9.7, 14.3, 19.9),
        diffuser_gain=0.64,
        wander_ms=0.56,
        seed=7,
        box=Box(
            size=(26, 40, 15), source=(11.5, 6, 2.2), listener=(13.9, 21, 2.4),
            ear_distance=0.9, reflection=0.83, taps=8,
        ),
    ),
}  # fmt: skip
