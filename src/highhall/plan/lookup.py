"""Finding one of several things that have ids."""

from collections.abc import Iterable
from typing import Protocol, TypeVar


class HasId(Protocol):
    """Something with an id."""

    @property
    def id(self) -> str:
        """What others call it."""


_Named = TypeVar("_Named", bound=HasId)


def by_id(items: Iterable[_Named], wanted: str) -> _Named:
    """Return the item with an id; KeyError if there is none."""
    for item in items:
        if item.id == wanted:
            return item
    raise KeyError(wanted)
