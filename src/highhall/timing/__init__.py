"""Musical time: note values, meters, tempo, positions, and seconds.

Musical quantities are exact fractions of a whole note; seconds are float64, made at the last step.
"""

from highhall.timing.meters import Meter, MeterMap
from highhall.timing.notes import LADDER, Milliseconds, NoteValue, TimeValue, parse_time_value, steps_longer
from highhall.timing.positions import Position
from highhall.timing.song_time import SongTime
from highhall.timing.tempo import TempoChange, TempoMap

__all__ = [
    "LADDER",
    "Meter",
    "MeterMap",
    "Milliseconds",
    "NoteValue",
    "Position",
    "SongTime",
    "TempoChange",
    "TempoMap",
    "TimeValue",
    "parse_time_value",
    "steps_longer",
]
