"""A song's time as one object: positions, note values, seconds and samples."""

from dataclasses import dataclass, field
from fractions import Fraction

from highhall.timing.meters import Meter, MeterMap
from highhall.timing.notes import NoteValue, TimeValue
from highhall.timing.positions import Position
from highhall.timing.tempo import TempoMap

_MOST_KNOWN = 4096
"""Positions whose seconds are remembered: the same few are asked for again and again."""


@dataclass(frozen=True, slots=True)
class SongTime:
    """Meters, tempo map and sample rate of one song."""

    meters: MeterMap
    tempos: TempoMap
    sample_rate: int
    _known: dict[Position, float] = field(default_factory=dict, compare=False, repr=False)

    def seconds_at(self, position: Position) -> float:
        """Return seconds from 1|1."""
        seconds = self._known.get(position)
        if seconds is None:
            if len(self._known) >= _MOST_KNOWN:
                self._known.clear()
            seconds = self._known[position] = self.tempos.seconds_at(self.meters.whole_notes_at(position))
        return seconds

    def sample_at(self, position: Position) -> int:
        """Return the sample at a position: seconds x rate, rounded."""
        return round(self.seconds_at(position) * self.sample_rate)

    def position_at_sample(self, sample: int) -> Position:
        """Return the position at a sample, exact to 1/100 000 of a whole note; 1|1 before the song."""
        whole_notes = max(self.tempos.whole_notes_at(sample / self.sample_rate), 0.0)
        return self.meters.position_at(Fraction(whole_notes).limit_denominator(100_000))

    def bar_line_after(self, seconds: float) -> Position:
        """Return the first bar line at or after a time that has a bar before it."""
        return self.position_at_sample(round(seconds * self.sample_rate)).next_bar_line

    def meter_at(self, position: Position) -> Meter:
        """Return the meter that holds at a position."""
        return self.meters.meter_at(position.bar)

    def seconds_of(self, length: TimeValue, anchor: Position) -> float:
        """Return how long `length` lasts when it starts at `anchor`, in seconds."""
        return self.seconds_after(length, anchor) - self.seconds_at(anchor)

    def seconds_after(self, length: TimeValue, anchor: Position) -> float:
        """Return the time `length` after `anchor`, in seconds from 1|1."""
        if isinstance(length, NoteValue):
            return self.tempos.seconds_at(self.meters.whole_notes_at(anchor) + length.whole_notes)
        return self.seconds_at(anchor) + length.seconds

    def seconds_ahead_of(self, length: TimeValue, anchor: Position) -> float:
        """Return the time `length` before `anchor`, in seconds from 1|1; may be negative."""
        if isinstance(length, NoteValue):
            return self.tempos.seconds_at(self.meters.whole_notes_at(anchor) - length.whole_notes)
        return self.seconds_at(anchor) - length.seconds

    def longest_seconds_of(self, length: TimeValue, start: Position, end: Position) -> tuple[float, Position]:
        """Return how long `length` lasts at the slowest tempo in [start, end], and where that is."""
        first, last = self.meters.whole_notes_at(start), self.meters.whole_notes_at(end)
        speed, place = self.tempos.slowest_speed(first, last)
        slowest = self.meters.position_at(Fraction(place).limit_denominator(100_000))
        if isinstance(length, NoteValue):
            return float(length.whole_notes) / speed, slowest
        return length.seconds, start
