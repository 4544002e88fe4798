"""Edits of where sources are wanted, and of the room that distances are read in."""

from collections.abc import Mapping
from dataclasses import replace
from typing import TypedDict, Unpack

from highhall.plan.edits.basics import checked
from highhall.plan.model import Plan
from highhall.plan.wishes import Depth, DepthTarget

Wish = tuple[str, str | None]
"""A source and a section, None for the whole song."""


class SpaceFields(TypedDict, total=False):
    """The fields of the room."""

    volume_m3: float
    decay_s: float
    directivity: float


def with_depth(plan: Plan, depth: Depth) -> Plan:
    """Return the plan with other wishes; not checked. Those that everyone has are not written."""
    return replace(plan, depth=None if depth == Depth() else depth)


def set_space(plan: Plan, **fields: Unpack[SpaceFields]) -> Plan:
    """Change the room that distances are read in; the sound stays."""
    depth = plan.depth or Depth()
    return checked(with_depth(plan, replace(depth, space=replace(depth.space, **fields))))


def set_targets(plan: Plan, distances: Mapping[Wish, float | None]) -> Plan:
    """Say how far away sources are wanted, in metres; None is nowhere in particular."""
    return checked(with_targets(plan, distances))


def with_targets(plan: Plan, distances: Mapping[Wish, float | None]) -> Plan:
    """Return the plan with other wishes for some sources; not checked."""
    depth = plan.depth or Depth()
    kept = [target for target in depth.targets if (target.source, target.section) not in distances]
    new = [DepthTarget(source=s, section=x, distance_m=far) for (s, x), far in distances.items() if far is not None]
    sources = [item.id for items in (plan.tracks, plan.groups) for item in items]
    sections = [None, *(section.id for section in plan.song.sections)]

    def place(target: DepthTarget) -> tuple[int, int]:
        known = target.source in sources, target.section in sections
        return sources.index(target.source) if known[0] else -1, sections.index(target.section) if known[1] else -1

    return with_depth(plan, replace(depth, targets=tuple(sorted([*kept, *new], key=place))))
