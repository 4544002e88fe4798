"""A song: title, rate, meters, tempos and sections."""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Annotated

from highhall.plan.json.codecs import FLAG, ID, NOTE, POSITION, TEXT, ListOf, number, whole_number
from highhall.plan.json.records import Member, Record
from highhall.plan.lookup import by_id
from highhall.timing import Meter, MeterMap, NoteValue, Position, SongTime, TempoChange, TempoMap
from highhall.timing.meters import METER_UNITS

SAMPLE_RATES = (44100, 48000, 88200, 96000)
METER = Record(
    Meter,
    codecs={
        "bar": whole_number(range(1, 1_000_000), "a bar number from 1"),
        "beats": whole_number(range(1, 65), "a whole number from 1 to 64"),
        "unit": whole_number(METER_UNITS, "one of 1, 2, 4, 8, 16, 32, 64"),
    },
)
_QUARTER = NoteValue(1, 4)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tempo:
    """`bpm` notes of value `beat` a minute from `at` on."""

    at: Annotated[Position, POSITION]
    bpm: Annotated[float, number(10, 400)]
    beat: Annotated[NoteValue, NOTE] = _QUARTER
    ramp: Annotated[bool, FLAG] = False

    @property
    def whole_notes_per_s(self) -> float:
        """The same speed in whole notes a second."""
        return self.bpm * float(self.beat.whole_notes) / 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """A named stretch of the song, `end` excluded."""

    id: Annotated[str, ID]
    name: Annotated[str, TEXT, Member(same_as="id")]
    start: Annotated[Position, POSITION]
    end: Annotated[Position, POSITION]


@dataclass(frozen=True, kw_only=True)  # without slots: its time is kept
class Song:
    """What is given: title, rate, time and sections."""

    title: Annotated[str, TEXT]
    sample_rate: Annotated[int, whole_number(SAMPLE_RATES, "one of 44100, 48000, 88200, 96000 (Hz)")]
    meters: Annotated[tuple[Meter, ...], ListOf(METER, low=1)]
    tempos: Annotated[tuple[Tempo, ...], ListOf(Record(Tempo), low=1)]
    sections: Annotated[tuple[Section, ...], ListOf(Record(Section), high=1000)] = ()
    end: Annotated[Position, POSITION]

    @cached_property
    def time(self) -> SongTime:
        """The song's time; built once for equal songs."""
        return _song_time(self.meters, self.tempos, self.sample_rate)

    @property
    def end_sample(self) -> int:
        """The first sample after the song proper."""
        return self.time.sample_at(self.end)

    def tempo_at(self, position: Position) -> Tempo:
        """Return the tempo that was last set at or before a position."""
        return next(tempo for tempo in reversed(self.tempos) if tempo.at <= position)

    def section(self, section_id: str) -> Section:
        """Return the section with that id; KeyError if there is none."""
        return by_id(self.sections, section_id)


@lru_cache(maxsize=64)
def _song_time(meters: tuple[Meter, ...], tempos: tuple[Tempo, ...], sample_rate: int) -> SongTime:
    meter_map = MeterMap(meters)
    changes = [
        TempoChange(
            at_whole_notes=meter_map.whole_notes_at(tempo.at),
            whole_notes_per_s=tempo.whole_notes_per_s,
            is_ramp=tempo.ramp,
        )
        for tempo in tempos
    ]
    return SongTime(meter_map, TempoMap(changes), sample_rate)
