"""Making a whole section deeper or nearer, by the levels of its spaces."""

import statistics
from collections.abc import Mapping
from dataclasses import dataclass

from highhall.depth.model import DepthModel
from highhall.depth.readings import Reading
from highhall.depth.spaces import is_space
from highhall.errors import CoreError
from highhall.plan import Plan, ReturnTarget
from highhall.plan.edits import checked
from highhall.plan.edits.moves import value_in, with_cells
from highhall.plan.kinds import LEVEL

_EXACT = 1e-4
_ROUNDS = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class Deepened:
    """A section of which all sources are farther away, or nearer.

    by_db: by how much the levels of its spaces are changed. distances_m: where each source was and is, in metres.
    """

    plan: Plan
    by_db: float
    distances_m: Mapping[str, tuple[float, float]]


def deepen(model: DepthModel, section_id: str, factor: float) -> Deepened:
    """Return the section with its sources so many times as far away, by one value a space: its return's level there.

    All spaces change by the same number of dB. What else the sources feed stays, so that one which is heard in echoes too
    moves less; the median of them moves by the factor.

    Raises
    ------
    CoreError
        If there is no such section, nothing in it is heard in a space, or levels would leave their range.
    """
    plan = model.plan
    if not any(section.id == section_id for section in plan.song.sections):
        raise CoreError(f'there is no section "{section_id}"')
    name = plan.song.section(section_id).name
    spaces = [
        return_.id for return_ in plan.returns if is_space(return_) and _level(plan, return_.id, section_id) is not None
    ]
    before = {track.id: model.readings[track.id, section_id] for track in plan.tracks}
    moved = [
        key for key, reading in before.items() if any(s in reading.by_return for s in spaces) and reading.dry_power
    ]
    if not moved:
        raise CoreError(f"nothing that sounds in {name} is heard in a space; there is nothing to make deeper")

    def factor_at(by_db: float) -> float:
        after = model.edited(_with_levels(plan, spaces, section_id, by_db)).readings
        return statistics.median(_distance_ratio(before[key], after[key, section_id]) for key in moved)

    low, high = -40.0, 40.0
    for _ in range(_ROUNDS):
        by_db = (low + high) / 2
        reached = factor_at(by_db)
        if abs(reached / factor - 1) < _EXACT:
            break
        low, high = (by_db, high) if reached < factor else (low, by_db)
    by_db = round(by_db, 2)
    levels = [level for space in spaces if (level := _level(plan, space, section_id)) is not None]
    if abs(factor_at(by_db) / factor - 1) > 0.01 or not all(LEVEL.low <= x + by_db <= LEVEL.high for x in levels):
        raise CoreError(
            f"{name} cannot be made {factor:g} times as deep: the levels of its spaces would leave their range"
        )
    result = checked(_with_levels(plan, spaces, section_id, by_db))
    after = model.edited(result).readings
    distances = {}
    for key in moved:
        wet = [reading.wet_db for reading in (before[key], after[key, section_id])]
        distances[key] = (plan.space.distance_m(wet[0] or 0.0), plan.space.distance_m(wet[1] or 0.0))
    return Deepened(plan=result, by_db=by_db, distances_m=distances)


def _distance_ratio(before: Reading, after: Reading) -> float:
    ratio: float = (after.wet_power / before.wet_power) ** 0.5
    return ratio


def _target(return_id: str) -> ReturnTarget:
    return ReturnTarget(target=return_id, param="level_db")


def _level(plan: Plan, return_id: str, section_id: str) -> float | None:
    value = value_in(plan, (_target(return_id), section_id))
    return float(value) if isinstance(value, (int, float)) else None


def _with_levels(plan: Plan, spaces: list[str], section_id: str, by_db: float) -> Plan:
    levels = {(_target(space), section_id): (_level(plan, space, section_id) or 0.0) + by_db for space in spaces}
    return with_cells(plan, {cell: min(max(round(each, 2), LEVEL.low), LEVEL.high) for cell, each in levels.items()})
