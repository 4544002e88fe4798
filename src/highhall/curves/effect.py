"""The parameters of one effect through a song."""

from collections.abc import Mapping
from functools import cached_property
from types import MappingProxyType

from highhall.curves.curve import Curve
from highhall.curves.drawing import drawn_curve
from highhall.curves.switching import Switched, switched
from highhall.plan import Effect, EffectTarget, Move, Plan, Return, Song
from highhall.plan.kinds import FILTER_PARAMETERS, Scale
from highhall.plan.kinds import ON as ON_PARAMETER
from highhall.plan.references import movable_parameters
from highhall.timing import SongTime, TimeValue

_NO_MOVES: Mapping[str, Move] = MappingProxyType({})


class EffectCurves:
    """An effect in a song: its fixed values, and as curves those that may move.

    Parameters
    ----------
    moves: the effect's moves by parameter.
    """

    def __init__(self, effect: Effect, song: Song, moves: Mapping[str, Move] = _NO_MOVES) -> None:
        self.effect, self.song, self.moves = effect, song, moves

    @classmethod
    def of(cls, plan: Plan, return_: Return, effect: Effect) -> "EffectCurves":
        """Return an effect of a plan's return."""
        moves = {
            move.target.param: move
            for move in plan.moves
            if isinstance(move.target, EffectTarget)
            and (move.target.target, move.target.effect) == (return_.id, effect.id)
        }
        return cls(effect, plan.song, moves)

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
        return switched(self.song, ON_PARAMETER, self.effect.on, self.moves.get("on"))

    def curve(self, name: str) -> Curve:
        """Return a number or rate that may move; levels are read as amplitude factors."""
        parameter = self.effect.table.parameter(name)
        return drawn_curve(self.song, parameter, self.effect.value(name), self.moves.get(name))  # type: ignore[arg-type]

    def times(self, name: str) -> Switched[TimeValue]:
        """Return a time that may change."""
        parameter = self.effect.table.parameter(name)
        return switched(self.song, parameter, self.effect.time(name), self.moves.get(name))

    def is_null(self, name: str) -> bool:
        """Whether a parameter is null and stays so."""
        return self.effect.value(name) is None and name not in self.moves

    def filter_curve(self, index: int, name: str) -> Curve:
        """Return `hz` or `gain_db` of a filter."""
        own = getattr(self.effect.filters[index], name)
        return drawn_curve(self.song, FILTER_PARAMETERS[name], own, self.moves.get(f"bands/{index}/{name}"))

    def fingerprint(self, start: int, stop: int) -> tuple[object, ...]:
        """Return what its moves make of it between two samples. A speed depends on all that was before."""
        parameters = movable_parameters(self.effect)
        phased = {name for name, parameter in parameters.items() if parameter.has_phase}
        return tuple(
            (name, *self._moved(name).fingerprint(0 if name in phased else start, stop)) for name in sorted(self.moves)
        )

    @property
    def reach(self) -> tuple[object, ...]:
        """What of its moves may change its sound everywhere in the song: which values move at all, and how far some go.

        A delay that never changes is rounded to whole samples, and a space is built for its shortest decay.
        """
        parameters = movable_parameters(self.effect)
        facts: list[object] = []
        for name in sorted(self.moves.keys() & parameters.keys()):
            moved = self._moved(name)
            facts.append((name, moved.constant is None))
            if isinstance(moved, Curve) and parameters[name].is_built_for:
                facts.append(moved.extremes)
        return tuple(facts)

    def _moved(self, name: str) -> "Curve | Switched[bool] | Switched[TimeValue]":
        if name == ON_PARAMETER.name:
            return self.on
        if "/" in name:
            _, index, parameter = name.split("/")
            return self.filter_curve(int(index), parameter)
        is_time = self.effect.table.parameter(name).scale is Scale.TIME
        return self.times(name) if is_time else self.curve(name)
