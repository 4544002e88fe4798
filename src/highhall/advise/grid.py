"""Times that just miss the grid."""

from dataclasses import dataclass

from highhall.plan import Song
from highhall.timing import LADDER, Milliseconds, NoteValue, Position, TimeValue

LEAST_MS = 3.0
MOST_SHARE = 0.05
SHORTEST_MS = 60.0
"""Shorter times are heard as one sound with their source, not as rhythm."""


@dataclass(frozen=True, slots=True)
class NearMiss:
    """A time lies `off_ms` past a note value (before it if negative): near enough to be meant, too far to be in time."""

    note: NoteValue
    note_ms: float
    off_ms: float


def near_miss(time: TimeValue, song: Song, at: Position) -> NearMiss | None:
    """Return by how much a time in ms misses the nearest note value at a position; None if it does not.

    A miss is at least 3 ms and at most 5 % of the note: less is not heard as early or late, more is a time of its own.
    """
    if not isinstance(time, Milliseconds) or time.ms < SHORTEST_MS:
        return None
    lengths = {note: 1000 * song.time.seconds_of(note, at) for note in LADDER}
    nearest = min(LADDER, key=lambda note: abs(lengths[note] - time.ms))
    off_ms = time.ms - lengths[nearest]
    if not LEAST_MS <= abs(off_ms) <= MOST_SHARE * lengths[nearest]:
        return None
    return NearMiss(nearest, lengths[nearest], off_ms)
