"""Moves: values that change with the song."""

from dataclasses import dataclass
from typing import Annotated

from highhall.plan.json.codecs import MOVED, POSITION, REFERENCE, TIME, ListOf, choice, number
from highhall.plan.json.records import Record
from highhall.plan.json.targets import TARGET
from highhall.plan.targets import Target
from highhall.timing import Position, TimeValue

MOST_BEND = 0.9

MoveValue = float | bool | None | str | TimeValue


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionValue:
    """The value inside a section and how it is reached; no ramp is a jump on the boundary.

    ramp_bend: half-way through its ramp the value has come (1 + bend) / 2 of its way; 0 is a straight line.
    """

    section: Annotated[str, REFERENCE]
    value: Annotated[MoveValue, MOVED]
    ramp: Annotated[TimeValue | None, TIME] = None
    ramp_side: Annotated[str, choice("before", "after")] = "before"
    ramp_bend: Annotated[float, number(-MOST_BEND, MOST_BEND)] = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """A value at a position, reached from the point before as `shape` says."""

    at: Annotated[Position, POSITION]
    value: Annotated[MoveValue, MOVED]
    shape: Annotated[str, choice("linear", "hold")] = "linear"


@dataclass(frozen=True, slots=True, kw_only=True)
class Throw:
    """A value held from `at` for `length`, over whatever else holds."""

    at: Annotated[Position, POSITION]
    length: Annotated[TimeValue, TIME]
    value: Annotated[MoveValue, MOVED]
    ramp_in: Annotated[TimeValue | None, TIME] = None
    ramp_out: Annotated[TimeValue | None, TIME] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One automated value: by section, then points over it, then throws over all."""

    target: Annotated[Target, TARGET]
    sections: Annotated[tuple[SectionValue, ...], ListOf(Record(SectionValue))] = ()
    points: Annotated[tuple[Point, ...], ListOf(Record(Point))] = ()
    throws: Annotated[tuple[Throw, ...], ListOf(Record(Throw))] = ()
