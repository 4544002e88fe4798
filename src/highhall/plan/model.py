"""The plan as an immutable value. Ids refer to ids; nothing here reads or checks JSON."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from types import MappingProxyType
from typing import TypeVar

from highhall.plan.kinds import KINDS
from highhall.timing import (
    Meter,
    MeterMap,
    Milliseconds,
    NoteValue,
    Position,
    SongTime,
    TempoChange,
    TempoMap,
    TimeValue,
    parse_time_value,
)

MAIN = "main"
_QUARTER = NoteValue(1, 4)

_Named = TypeVar("_Named", "Section", "Group", "Track", "Return", "Step")


@dataclass(frozen=True, slots=True, kw_only=True)
class Tempo:
    """`bpm` notes of value `beat` a minute from `at` on."""

    at: Position
    bpm: float
    beat: NoteValue = _QUARTER
    ramp: bool = False

    @property
    def whole_notes_per_s(self) -> float:
        """The same speed in whole notes a second."""
        return self.bpm * float(self.beat.whole_notes) / 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """A named stretch of the song, `end` excluded."""

    id: str
    name: str
    start: Position
    end: Position


@dataclass(frozen=True, slots=True, kw_only=True)
class Song:
    """What is given: title, rate, time and sections."""

    title: str
    sample_rate: int
    meters: tuple[Meter, ...]
    tempos: tuple[Tempo, ...]
    end: Position
    sections: tuple[Section, ...] = ()

    @property
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
        return _by_id(self.sections, section_id)


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """One filter of a tone step or of a group."""

    shape: str
    hz: float
    gain_db: float = 0.0
    q: float = 0.707
    slope_db_oct: int = 12
    on: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """Tracks that share a fader and a tone; `level_db` None is silence."""

    id: str
    name: str
    level_db: float | None = 0.0
    mute: bool = False
    tone: tuple[Band, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Track:
    """One stem and its fader; `group` None goes to main."""

    id: str
    name: str
    stem: str
    group: str | None = None
    start_s: float = 0.0
    level_db: float | None = 0.0
    pan: float = 0.0
    mute: bool = False


ParameterValue = float | str | bool | None | TimeValue | tuple[Band, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One effect of a chain. `params` holds what was given; `value` fills in the defaults."""

    id: str
    kind: str
    on: bool = True
    params: Mapping[str, ParameterValue] = field(default_factory=lambda: MappingProxyType({}))

    def value(self, name: str) -> ParameterValue:
        """Return a parameter's value or its default; KeyError for a name the kind does not have."""
        if name in self.params:
            return self.params[name]
        parameter = KINDS[self.kind].parameter(name)
        if parameter.by_space is not None:
            return parameter.by_space[str(self.params["space"])]
        return parameter.default

    def number(self, name: str) -> float:
        """Return a numeric parameter as a float."""
        value = self.value(name)
        if not isinstance(value, (int, float)):
            raise TypeError(f"{self.kind} parameter {name} is not a number: {value!r}")
        return float(value)

    def time(self, name: str) -> TimeValue:
        """Return a time parameter, its default too, as a time value."""
        value = self.value(name)
        if isinstance(value, str):  # the table's default is written as JSON writes it
            return parse_time_value(value)
        if not isinstance(value, (NoteValue, Milliseconds)):
            raise TypeError(f"{self.kind} parameter {name} is not a time value: {value!r}")
        return value

    @property
    def bands(self) -> tuple[Band, ...]:
        """The bands of a tone step; none for other kinds."""
        bands = self.params.get("bands", ())
        return bands if isinstance(bands, tuple) else ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Return:
    """A shared, always wet chain of effects and its fader."""

    id: str
    name: str
    chain: tuple[Step, ...] = ()
    level_db: float | None = 0.0
    width: float = 1.0
    pan: float = 0.0
    mute: bool = False
    output: str = MAIN

    def step(self, step_id: str) -> Step:
        """Return the step with that id; KeyError if there is none."""
        return _by_id(self.chain, step_id)

    @property
    def is_wet(self) -> bool:
        """Whether a step is on that keeps the dry sound from leaving; without one it is silent."""
        return any(step.on and KINDS[step.kind].makes_wet for step in self.chain)


@dataclass(frozen=True, slots=True, kw_only=True)
class Send:
    """How much of `source` (track, group or return) feeds the return `target`."""

    source: str
    target: str
    level_db: float | None = 0.0
    tap: str = "post"
    pan: float = 0.0
    on: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class SendTarget:
    """A send's `level_db`, `on` or `pan`."""

    source: str
    target: str
    param: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnTarget:
    """A return's `level_db`, `pan`, `width` or `mute`."""

    target: str
    param: str


@dataclass(frozen=True, slots=True, kw_only=True)
class StepTarget:
    """A step's `on` or a movable parameter, `bands/0/hz` for that of a band."""

    target: str
    step: str
    param: str


Target = SendTarget | ReturnTarget | StepTarget
MoveValue = float | bool | None | str | TimeValue


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionValue:
    """The value inside a section and how it is reached; no ramp is a jump on the boundary."""

    section: str
    value: MoveValue
    ramp: TimeValue | None = None
    ramp_side: str = "before"


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """A value at a position, reached from the point before as `shape` says."""

    at: Position
    value: MoveValue
    shape: str = "linear"


@dataclass(frozen=True, slots=True, kw_only=True)
class Throw:
    """A value held from `at` for `length`, over whatever else holds."""

    at: Position
    length: TimeValue
    value: MoveValue
    ramp_in: TimeValue | None = None
    ramp_out: TimeValue | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One automated value: by section, then points over it, then throws over all."""

    target: Target
    sections: tuple[SectionValue, ...] = ()
    points: tuple[Point, ...] = ()
    throws: tuple[Throw, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """A whole design of a song's depth."""

    song: Song
    groups: tuple[Group, ...] = ()
    tracks: tuple[Track, ...] = ()
    returns: tuple[Return, ...] = ()
    sends: tuple[Send, ...] = ()
    moves: tuple[Move, ...] = ()

    @property
    def names(self) -> dict[str, str]:
        """What tracks, groups and returns are called, by their ids."""
        return {item.id: item.name for items in (self.tracks, self.groups, self.returns) for item in items}

    def group(self, group_id: str) -> Group:
        """Return the group with that id; KeyError if there is none."""
        return _by_id(self.groups, group_id)

    def track(self, track_id: str) -> Track:
        """Return the track with that id; KeyError if there is none."""
        return _by_id(self.tracks, track_id)

    def return_(self, return_id: str) -> Return:
        """Return the return with that id; KeyError if there is none."""
        return _by_id(self.returns, return_id)

    def send(self, source: str, target: str) -> Send | None:
        """Return the send between two ids, if there is one."""
        return next((s for s in self.sends if (s.source, s.target) == (source, target)), None)

    def sends_into(self, return_id: str) -> Iterator[Send]:
        """Yield what feeds a return, in the plan's order."""
        return (send for send in self.sends if send.target == return_id)

    def tracks_in(self, group_id: str | None) -> Iterator[Track]:
        """Yield a group's tracks, or with None those that go to main."""
        return (track for track in self.tracks if track.group == group_id)

    def move(self, target: Target) -> Move | None:
        """Return the move of a target, if it has one."""
        return next((move for move in self.moves if move.target == target), None)


Edit = Callable[[Plan], Plan]
"""A change of a plan: it gives back another one."""


def _by_id(items: tuple[_Named, ...], wanted: str) -> _Named:
    for item in items:
        if item.id == wanted:
            return item
    raise KeyError(wanted)
