"""Where sources are wanted, and the room that distances are read in. Nothing of it is heard."""

import math
from dataclasses import dataclass
from typing import Annotated

from highhall.plan.json.codecs import REFERENCE, ListOf, number
from highhall.plan.json.records import Member, Record

NEAREST_M, FARTHEST_M = 0.2, 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """The room that distances are read in: volume in m3, decay in s, directivity Q of the sources."""

    volume_m3: Annotated[float, number(20, 200_000), Member(label="Volume")] = 20000.0
    decay_s: Annotated[float, number(0.1, 15), Member(label="Decay of the room")] = 2.5
    directivity: Annotated[float, number(1, 10), Member(label="Directivity")] = 2.5

    @property
    def critical_distance_m(self) -> float:
        """Where a source is as wet as dry: 0.057 sqrt(Q V / T60); H. Kuttruff, "Room Acoustics", 6th ed. (2016), 5.1."""
        return 0.057 * math.sqrt(self.directivity * self.volume_m3 / self.decay_s)

    def distance_m(self, wet_db: float) -> float:
        """Return the distance at which a source with this wet-to-dry ratio seems to be, in metres."""
        return self.critical_distance_m * 10 ** (wet_db / 20)

    def wet_db_at(self, distance_m: float) -> float:
        """Return the wet-to-dry ratio in dB of a source that seems to be so many metres away."""
        return 20 * math.log10(distance_m / self.critical_distance_m)


@dataclass(frozen=True, slots=True, kw_only=True)
class DepthTarget:
    """How far away a track or group is wanted, in metres: in one section, or without it in the whole song."""

    source: Annotated[str, REFERENCE]
    distance_m: Annotated[float, number(NEAREST_M, FARTHEST_M)]
    section: Annotated[str | None, REFERENCE] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Depth:
    """What is wanted of a song's depth."""

    space: Annotated[Space, Record(Space)] = Space()
    targets: Annotated[tuple[DepthTarget, ...], ListOf(Record(DepthTarget))] = ()
