"""Work for several items, on several threads where there are some."""

from collections.abc import Callable, Sequence
from concurrent.futures import Executor
from typing import TypeVar

_Item = TypeVar("_Item")
_Result = TypeVar("_Result")


def for_each(executor: Executor | None, work: Callable[[_Item], _Result], items: Sequence[_Item]) -> list[_Result]:
    """Return what some work gives for each item, in their order; without an executor in the calling thread."""
    if executor is None or len(items) < 2:
        return [work(item) for item in items]
    return list(executor.map(work, items))
