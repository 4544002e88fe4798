"""The parameters of one step through a song."""

from collections.abc import Mapping
from functools import cached_property
from types import MappingProxyType

from highhall.curves.curve import Curve
from highhall.curves.drawing import drawn_curve
from highhall.curves.switching import Switched, switched
from highhall.plan import Move, Plan, Return, Song, Step, StepTarget
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, ParameterType, Scale
from highhall.plan.kinds import ON as ON_PARAMETER
from highhall.timing import SongTime, TimeValue, parse_time_value

_NO_MOVES: Mapping[str, Move] = MappingProxyType({})
_BAND_PARAMETERS = {parameter.name: parameter for parameter in BAND_PARAMETERS}


class StepCurves:
    """A step in a song: its fixed values, and as curves those that may move.

    Parameters
    ----------
    moves: the step's moves by parameter.
    """

    def __init__(self, step: Step, song: Song, moves: Mapping[str, Move] = _NO_MOVES) -> None:
        self.step, self.song, self.moves = step, song, moves

    @classmethod
    def of(cls, plan: Plan, return_: Return, step: Step) -> "StepCurves":
        """Return a step of a plan's return."""
        moves = {
            move.target.param: move
            for move in plan.moves
            if isinstance(move.target, StepTarget) and (move.target.target, move.target.step) == (return_.id, step.id)
        }
        return cls(step, plan.song, moves)

    @property
    def time(self) -> SongTime:
        """The song's time."""
        return self.song.time

    @property
    def sample_rate(self) -> int:
        """Samples a second."""
        return self.song.sample_rate

    @property
    def is_ever_on(self) -> bool:
        """Whether it is on anywhere in the song."""
        return True in self.on.values

    @cached_property
    def on(self) -> Switched[bool]:
        """Whether it acts."""
        return switched(self.song, ON_PARAMETER, self.step.on, self.moves.get("on"))

    def curve(self, name: str) -> Curve:
        """Return a number or rate that may move; levels are read as amplitude factors."""
        parameter = KINDS[self.step.kind].parameter(name)
        own = self.step.value(name)
        if isinstance(own, str):  # the table's default is written as JSON writes it
            own = parse_time_value(own)
        return drawn_curve(self.song, parameter, own, self.moves.get(name))  # type: ignore[arg-type]

    def times(self, name: str) -> Switched[TimeValue]:
        """Return a time that may change."""
        parameter = KINDS[self.step.kind].parameter(name)
        return switched(self.song, parameter, self.step.time(name), self.moves.get(name))

    def is_null(self, name: str) -> bool:
        """Whether a parameter is null and stays so."""
        return self.step.value(name) is None and name not in self.moves

    def band_curve(self, index: int, name: str) -> Curve:
        """Return `hz` or `gain_db` of a band."""
        own = getattr(self.step.bands[index], name)
        return drawn_curve(self.song, _BAND_PARAMETERS[name], own, self.moves.get(f"bands/{index}/{name}"))

    def fingerprint(self, start: int, stop: int) -> tuple[object, ...]:
        """Return what its moves make of it between two samples. A rate depends on all that was before."""
        return tuple(
            (name, *self._moved(name).fingerprint(*self._span(name, start, stop))) for name in sorted(self.moves)
        )

    def _moved(self, name: str) -> "Curve | Switched[bool] | Switched[TimeValue]":
        if name == "on":
            return self.on
        if "/" in name:
            _, index, parameter = name.split("/")
            return self.band_curve(int(index), parameter)
        is_time = KINDS[self.step.kind].parameter(name).scale is Scale.TIME
        return self.times(name) if is_time else self.curve(name)

    def _span(self, name: str, start: int, stop: int) -> tuple[int, int]:
        kind = KINDS[self.step.kind]
        has_phase = kind.has(name) and (kind.parameter(name).type is ParameterType.RATE or name.endswith("_hz"))
        return (0 if has_phase else start), stop
