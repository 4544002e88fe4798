"""Meters and the exact way between a position and its distance from 1|1 in whole notes."""

from bisect import bisect_right
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from highhall.errors import CoreError
from highhall.timing.positions import Position, PositionError

METER_UNITS = (1, 2, 4, 8, 16, 32, 64)


class MeterError(CoreError):
    """A list of meters does not describe a song."""


@dataclass(frozen=True, slots=True)
class Meter:
    """From `bar` on, a bar holds `beats` notes of 1/`unit`."""

    bar: int
    beats: int
    unit: int

    def __post_init__(self) -> None:
        if self.bar < 1 or not 1 <= self.beats <= 64 or self.unit not in METER_UNITS:
            raise MeterError(
                f"a meter has 1 to 64 beats of unit {', '.join(map(str, METER_UNITS))} from bar 1 on, "
                f"got {self.beats}/{self.unit} at bar {self.bar}"
            )

    @property
    def bar_length(self) -> Fraction:
        """The length of one bar in whole notes."""
        return Fraction(self.beats, self.unit)


class MeterMap:
    """The meters of a song in order, the first of them at bar 1."""

    def __init__(self, meters: tuple[Meter, ...]) -> None:
        bars = [meter.bar for meter in meters]
        if bars[:1] != [1] or bars != sorted(set(bars)):
            raise MeterError(f"meters must start at bar 1 and ascend, got bars {bars}")
        self.meters = meters
        self._bars = bars
        self._starts = [Fraction(0)]
        for meter, following in pairwise(meters):
            self._starts.append(self._starts[-1] + (following.bar - meter.bar) * meter.bar_length)

    def meter_at(self, bar: int) -> Meter:
        """Return the meter that holds in `bar`."""
        return self.meters[bisect_right(self._bars, bar) - 1]

    def whole_notes_at(self, position: Position) -> Fraction:
        """Return the distance from 1|1 in whole notes.

        Raises
        ------
        PositionError
            If the bar that is named does not have that beat.
        """
        index = bisect_right(self._bars, position.bar) - 1
        meter = self.meters[index]
        if position.beat >= meter.beats + 1:
            raise PositionError(
                f'bar {position.bar} is in {meter.beats}/{meter.unit}, so its beats lie below {meter.beats + 1}, got "{position}"'
            )
        bars = (position.bar - meter.bar) * meter.bar_length
        return self._starts[index] + bars + (position.beat - 1) / meter.unit

    def position_at(self, whole_notes: Fraction) -> Position:
        """Return the position that lies `whole_notes` after 1|1; the inverse of `whole_notes_at`.

        Raises
        ------
        PositionError
            If `whole_notes` is negative.
        """
        if whole_notes < 0:
            raise PositionError("a position cannot lie before 1|1")
        index = bisect_right(self._starts, whole_notes) - 1
        meter = self.meters[index]
        bars, rest = divmod(whole_notes - self._starts[index], meter.bar_length)
        return Position(meter.bar + int(bars), 1 + rest * meter.unit)
