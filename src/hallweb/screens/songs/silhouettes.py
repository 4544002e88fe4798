"""Songs as silhouettes on one scale of time: a room for every section, as high as its farthest sound."""

import math
from dataclasses import dataclass
from itertools import pairwise

from hallweb.audition.rooms import Room

WIDTH, HEIGHT = 300, 56
_FLOOR_Y = 50
_SHARED_S = 300.0
"""At a pixel a second songs of five minutes fit; where one is longer, all share a smaller scale."""

_OCTAVE_PX = 10
_FLOOR_M = 0.5
LINES_M = (3.0, 6.0)


def scale_of(longest_s: float) -> float:
    """Return how many pixels a second is, one scale for all songs of a list, the longest of which is so long."""
    return min(1.0, _SHARED_S / max(longest_s, 1.0))


def minutes(px_per_s: float) -> list[tuple[float, str]]:
    """Return (x, words) of the ticks of the time scale."""
    each = next(step for step in (1, 2, 5, 10, 30, 60, 1440) if step * 60 * px_per_s >= 44)
    last = int(_SHARED_S / px_per_s / 60)
    return [(minute * 60 * px_per_s, f"{minute}:00" if minute else "0") for minute in range(0, last + 1, each)]


def height_of(metres: float | None) -> float:
    """Return how high a distance is drawn: so many pixels for every doubling, from half a metre on; 0 for what is dry."""
    if metres is None:
        return 0.0
    return min(max(_OCTAVE_PX * math.log2(metres / _FLOOR_M), 3.0), _FLOOR_Y - 2.0)


@dataclass(frozen=True, slots=True)
class Silhouette:
    """What is drawn of a song: the outline of its rooms as an SVG path, walls, lines of the lead, and its words."""

    outline: str
    walls: tuple[str, ...]
    leads: tuple[str, ...]
    width: float
    is_dry: bool
    words: str


def silhouette(rooms: list[Room], px_per_s: float) -> Silhouette:
    """Return a song's silhouette."""
    x, places = 0.0, []
    for room in rooms:
        places.append((x, x + room.seconds * px_per_s, height_of(room.farthest_m), height_of(room.lead_m)))
        x = places[-1][1]
    roof = " ".join(f"V{_FLOOR_Y - top:.1f}H{right:.1f}" for _, right, top, _ in places)
    farthest = max((room.farthest_m for room in rooms if room.farthest_m is not None), default=None)
    return Silhouette(
        outline=f"M0 {_FLOOR_Y}{roof}V{_FLOOR_Y}",
        walls=tuple(
            f"M{left:.1f} {_FLOOR_Y}v{-min(top, before[2]):.1f}" for before, (left, _, top, _) in pairwise(places)
        ),
        leads=tuple(f"M{left:.1f} {_FLOOR_Y - lead:.1f}H{right:.1f}" for left, right, _, lead in places if lead),
        width=x,
        is_dry=farthest is None,
        words="all dry" if farthest is None else f"The farthest sound is {farthest:.1f} m away",
    )


LINES_Y = tuple((metres, _FLOOR_Y - height_of(metres)) for metres in LINES_M)
