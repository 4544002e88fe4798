"""Values that do not glide: where one takes another's place, both are heard for a while, cross-faded.

Times and an effect's `on` are such values. At a boundary the new value replaces the old over 50 ms, or over the
move's own ramp, by a raised cosine.
"""

import math
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Generic, TypeVar

import numpy as np

from highhall.curves.curve import Values, raised_cosine
from highhall.curves.drawing import Drawing
from highhall.plan import Move, Song
from highhall.plan.kinds import Parameter
from highhall.plan.model import MoveValue
from highhall.timing import Position, TimeValue

FADE_S = 0.05

V = TypeVar("V")


@dataclass(frozen=True, slots=True)
class Change(Generic[V]):
    """From sample `start` to `end`, both floats, `value` takes the place of what was there."""

    start: float
    end: float
    value: V


@dataclass(frozen=True, slots=True)
class Switched(Generic[V]):
    """A value from the beginning, and what takes its place."""

    first: V
    changes: tuple[Change[V], ...] = ()

    @property
    def constant(self) -> V | None:
        """The one value that holds throughout, or None."""
        return None if self.changes else self.first

    @property
    def values(self) -> tuple[V, ...]:
        """All values it ever takes, each once, in the order of their first places."""
        return tuple(dict.fromkeys((self.first, *(change.value for change in self.changes))))

    def shares(self, start: int, stop: int) -> dict[V, Values | None]:
        """Return the values heard between two samples with their shares, (frames,), which sum to 1; None is all."""
        shares: dict[V, Values | None] = {self.first: None}
        for change in self.changes:
            if change.end <= start:
                shares = {change.value: None}
            elif change.start < stop:
                samples: Values = np.arange(start, stop, dtype=np.float64)
                rising = raised_cosine((samples - change.start) / (change.end - change.start))
                shares = {value: (1 - rising) * (1 if old is None else old) for value, old in shares.items()}
                below = shares.get(change.value)
                shares[change.value] = rising if below is None else below + rising
        return shares

    def fingerprint(self, start: int, stop: int) -> tuple[object, ...]:
        """Return what is heard between two samples depends on."""
        past = [change for change in self.changes if change.end <= start]
        first = past[-1].value if past else self.first
        inside = [(c.start, c.end, str(c.value)) for c in self.changes if c.end > start and c.start < stop]
        return (str(first), *inside)


def switched(song: Song, parameter: Parameter, own: V, move: Move | None) -> Switched[V]:
    """Return a value that does not glide through a song; without a move it never changes."""
    if move is None:
        return Switched(own)
    values: list[MoveValue] = [own, *(m.value for layer in (move.sections, move.points, move.throws) for m in layer)]  # type: ignore[list-item]
    stretches = _Places(song, parameter, values).all_layers(values[0], _without_ramps(move))
    fades = _fades(song, move)
    changes = []
    for before, after in pairwise(stretches):
        if before.last != after.first:
            start, end = fades.get(round(after.start), (after.start, after.start + FADE_S * song.sample_rate))
            changes.append(Change(start, end, values[int(after.first or 0)]))
    return Switched(own, tuple(changes))  # type: ignore[arg-type]


class _Places(Drawing):
    """Draws places in a list of values instead of the values."""

    def __init__(self, song: Song, parameter: Parameter, values: list[MoveValue]) -> None:
        super().__init__(song, parameter)
        self._values = values

    def run(self, value: MoveValue, at: Position) -> float | None:  # noqa: ARG002
        return float(self._values.index(value))


def _without_ramps(move: Move) -> Move:
    return replace(
        move,
        sections=tuple(replace(value, ramp=None) for value in move.sections),
        points=tuple(replace(point, shape="hold") for point in move.points),
        throws=tuple(replace(throw, ramp_in=None, ramp_out=None) for throw in move.throws),
    )


def _fades(song: Song, move: Move) -> dict[int, tuple[float, float]]:
    """Return the first and last sample of each ramp of the move, by the sample of its boundary."""
    time, rate = song.time, song.sample_rate
    fades: dict[int, tuple[float, float]] = {}

    def before(length: TimeValue | None, at: Position) -> None:
        if length is not None:
            fades[time.sample_at(at)] = (time.seconds_ahead_of(length, at) * rate, float(time.sample_at(at)))

    for value in move.sections:
        start = song.section(value.section).start
        if value.ramp is not None and value.ramp_side == "after":
            fades[time.sample_at(start)] = (float(time.sample_at(start)), time.seconds_after(value.ramp, start) * rate)
        else:
            before(value.ramp, start)
    for throw in move.throws:
        before(throw.ramp_in, throw.at)
        if throw.ramp_out is not None:
            end = time.seconds_after(throw.length, throw.at) * rate
            close = time.position_at_sample(round(end))
            fades[round(end)] = (end, time.seconds_after(throw.ramp_out, close) * rate)
    return {at: (start, end) for at, (start, end) in fades.items() if end > start and not math.isinf(end)}
