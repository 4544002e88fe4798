"""How far sources have come away from where they are wanted."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from highhall.depth.model import DepthModel
from highhall.plan import DepthTarget, Plan

_NOT_NAMES = {"first", "second", "third", "last", "final", "next", "another", "again"}


@dataclass(frozen=True, slots=True)
class Drift:
    """A target, and where its source is: in metres, 0 where it feeds nothing, None where it is silent."""

    target: DepthTarget
    distance_m: float | None
    by_db: float | None


def drifts(model: DepthModel) -> Iterator[Drift]:
    """Yield every target of a plan with how many dB wetter (above 0) its source is than it is wanted."""
    space = model.plan.space
    for target in model.plan.targets:
        wet_db = model.readings[target.source, target.section].wet_db
        if wet_db is None:
            yield Drift(target, None, None)
        else:
            yield Drift(target, space.distance_m(wet_db), wet_db - space.wet_db_at(target.distance_m))


def target_of(plan: Plan, source: str, section: str | None) -> DepthTarget | None:
    """Return the target that holds for a source in a section: its own, or that of the whole song."""
    found = {target.section: target for target in plan.targets if target.source == source}
    return found.get(section) or found.get(None)


def alike_sections(plan: Plan, section_id: str) -> list[str]:
    """Return the sections whose names have the same words, numbers and words of order apart: all refrains for one of them."""
    wanted = _root(plan.song.section(section_id).name)
    return [section.id for section in plan.song.sections if _root(section.name) == wanted]


def _root(name: str) -> tuple[str, ...]:
    words = tuple(word for word in re.findall(r"[^\W\d]+", name.lower()) if word not in _NOT_NAMES)
    return words or (name.lower(),)
