"""What returns can be started from, as lists of choices show it."""

from collections.abc import Iterable
from itertools import groupby

from highhall.plan.kinds import KINDS
from highhall.plan.starting_points import STARTING_POINTS, StartingPoint

STARTS = {point.id: point for point in STARTING_POINTS if point.effect.table.makes_wet}
"""What a new return can start from, by id."""


def by_kind(points: Iterable[StartingPoint]) -> list[tuple[str, list[StartingPoint]]]:
    """Return starting points under the labels of their kinds."""
    return [(KINDS[kind].label, list(of_kind)) for kind, of_kind in groupby(points, key=lambda point: point.kind)]
