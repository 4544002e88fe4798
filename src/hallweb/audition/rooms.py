"""A song as a row of rooms, one a section, for lists of songs: kept with the song until its plan changes.

A room is as long as its section and as high as the farthest sound in it; the lead is the source that is loudest there.
"""

from dataclasses import dataclass

from hallweb.analysis.wetness import WetCell, WetTable, wet_table
from hallweb.audition.wetness import predicted_depth
from hallweb.songs.models import Revision, Song
from hallweb.songs.revisions import plan_of
from highhall.plan import Plan


@dataclass(frozen=True, slots=True)
class Room:
    """A section: its length in seconds, and how far its farthest sound and its lead seem to be, in metres; None is dry."""

    seconds: float
    farthest_m: float | None
    lead_m: float | None


def kept_rooms(song: Song) -> list[Room]:
    """Return the rooms of a song as they were last worked out; `Song.rooms_of` says of which revision."""
    return [Room(*each) for each in song.rooms]


def rooms_of(song: Song, revision: Revision) -> list[Room] | None:
    """Return a song's rooms in a revision, and keep them; None until they are worked out.

    Raises
    ------
    MeasurementError
        If they cannot be.
    """
    if song.rooms_of == revision.pk:
        return kept_rooms(song)
    model = predicted_depth(revision)
    if model is None:
        return None
    rooms = _rooms(plan_of(revision.pk), wet_table(model))
    written = [[room.seconds, room.farthest_m, room.lead_m] for room in rooms]
    Song.objects.filter(pk=song.pk).update(rooms=written, rooms_of=revision.pk)
    return rooms


def _rooms(plan: Plan, table: WetTable) -> list[Room]:
    time = plan.song.time
    spans = [(time.seconds_at(s.start), time.seconds_at(s.end)) for s in plan.song.sections] or [
        (0.0, time.seconds_at(plan.song.end))
    ]
    return [_room(end - start, [cells[index] for cells in table.values()]) for index, (start, end) in enumerate(spans)]


def _room(seconds: float, cells: list[WetCell]) -> Room:
    distances = [cell.distance_m for cell in cells if cell.distance_m is not None]
    sounding = [cell for cell in cells if cell.wet_db is not None]
    lead = max(sounding, key=lambda cell: cell.dry_power, default=None)
    return Room(round(seconds, 3), max(distances, default=None), lead.distance_m if lead else None)
