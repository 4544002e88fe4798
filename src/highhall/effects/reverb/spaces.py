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
    reflections: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """Dimensions at size 1.

    Lines are spread evenly in the logarithm from the shortest to one that is as long in every space, all-passes from the
    shortest to the longest.
    """

    shortest_line_ms: float
    diffuser_ms: tuple[float, float]
    diffuser_gain: float
    wander_ms: float
    seed: int
    box: Box | None = None
    onset_ms: tuple[float, ...] = ()


SPACES: Mapping[str, Space] = {
    "plate": Space(
        # No geometry: a sheet answers at once and densely, so its early part is a burst of close reflections.
        shortest_line_ms=16,
        diffuser_ms=(0.4, 8),
        diffuser_gain=0.66,
        wander_ms=0.42,
        seed=40131,
        onset_ms=(0.0, 2.9, 6.1, 10.7, 15.3),
    ),
    "room": Space(
        # 6.2 x 4.6 x 2.8 m with furniture: reflections at once and from all sides, the shortest lines.
        shortest_line_ms=10,
        diffuser_ms=(0.4, 12),
        diffuser_gain=0.66,
        wander_ms=0.4,
        seed=210149,
        box=Box(
            size=(6.2, 4.6, 2.8), source=(2.6, 1.1, 1.1), listener=(3.3, 3.3, 1.2),
            ear_distance=0.4, reflection=0.75, reflections=16,
        ),
    ),
    "chamber": Space(
        # 9 x 6.5 x 4.4 m, bare and hard: dense at once, few early reflections stand out, an even tail.
        shortest_line_ms=20,
        diffuser_ms=(0.4, 8),
        diffuser_gain=0.72,
        wander_ms=0.5,
        seed=41132,
        box=Box(
            size=(9, 6.5, 4.4), source=(2.1, 1.7, 1.6), listener=(6.7, 4.4, 1.9),
            ear_distance=0.6, reflection=0.9, reflections=12,
        ),
    ),
    "hall": Space(
        # First reflections of a shoebox hall of 26 x 40 x 15 m, heard from the middle of its stalls.
        shortest_line_ms=36,
        diffuser_ms=(0.5, 9),
        diffuser_gain=0.62,
        wander_ms=0.56,
        seed=40045,
        box=Box(
            size=(26, 40, 15), source=(11.5, 6, 2.2), listener=(13.9, 21, 2.4),
            ear_distance=0.9, reflection=0.83, reflections=8,
        ),
    ),
    "cathedral": Space(
        # A nave of 22 x 64 x 27 m, heard from afar: late and sparse reflections, no short lines, slow growth.
        shortest_line_ms=42,
        diffuser_ms=(0.7, 12),
        diffuser_gain=0.62,
        wander_ms=0.7,
        seed=51073,
        box=Box(
            size=(22, 64, 27), source=(9.5, 7, 2.4), listener=(11.8, 37, 2.6),
            ear_distance=1.2, reflection=0.86, reflections=8,
        ),
    ),
}  # fmt: skip
