"""Work for several items, on several threads where there are some."""

import time
from collections.abc import Callable, Collection, Hashable, Mapping, Sequence
from concurrent.futures import Executor, Future, wait
from dataclasses import dataclass, field
from graphlib import TopologicalSorter
from threading import Lock
from typing import Generic, TypeVar

_Item = TypeVar("_Item")
_Node = TypeVar("_Node", bound=Hashable)
_Result = TypeVar("_Result")


def for_each(executor: Executor | None, work: Callable[[_Item], _Result], items: Sequence[_Item]) -> list[_Result]:
    """Return what some work gives for each item, in their order; without an executor in the calling thread."""
    if executor is None or len(items) < 2:
        return [work(item) for item in items]
    return list(executor.map(work, items))


class InOrder(Generic[_Node]):
    """Work on items that need each other's results, done again and again.

    Of the items that can begin, the one goes first that most time will pass from, by what all took the last time: else the
    threads would wait in the end for one that began late.

    Parameters
    ----------
    needs: by item, those that have to be done before it.
    """

    def __init__(self, needs: Mapping[_Node, Collection[_Node]]) -> None:
        self._needs = needs
        self._order = list(TopologicalSorter(needs).static_order())
        self._took_s = dict.fromkeys(self._order, 0.0)

    def run(self, executor: Executor | None, work: Callable[[_Node], None]) -> None:
        """Work on each item once, without an executor in the calling thread; an error is raised when nothing is at work any more."""
        if executor is None:
            for item in self._order:
                work(item)
        else:
            _Run(executor, work, TopologicalSorter(self._needs), self._took_s, self._lasts_s()).finish()

    def _lasts_s(self) -> dict[_Node, float]:
        """Return how long it takes from the beginning of each item until all that waits for it is done."""
        lasts_s = dict(self._took_s)
        for item in reversed(self._order):
            for needed in self._needs[item]:
                lasts_s[needed] = max(lasts_s[needed], self._took_s[needed] + lasts_s[item])
        return lasts_s


@dataclass(slots=True)
class _Run(Generic[_Node]):
    """Items at work on several threads."""

    executor: Executor
    work: Callable[[_Node], None]
    sorter: "TopologicalSorter[_Node]"
    took_s: dict[_Node, float]
    lasts_s: Mapping[_Node, float]
    begun: list[Future[None]] = field(default_factory=list)
    guard: Lock = field(default_factory=Lock)

    def finish(self) -> None:
        """Begin what needs nothing, and wait for all."""
        self.sorter.prepare()
        with self.guard:
            self._begin(self._ready())
        for each in self.begun:  # there are more of them while they work
            wait([each])
        for each in self.begun:
            each.result()

    def _ready(self) -> list[_Node]:
        return sorted(self.sorter.get_ready(), key=lambda item: -self.lasts_s[item])

    def _begin(self, items: Sequence[_Node]) -> None:
        self.begun += [self.executor.submit(self._go_on, item) for item in items]

    def _go_on(self, item: _Node) -> None:
        """Work on an item, then on the longest that can begin after it."""
        following = [item]
        while following:
            item = following[0]
            began = time.perf_counter()
            self.work(item)
            self.took_s[item] = time.perf_counter() - began
            with self.guard:
                self.sorter.done(item)
                following = self._ready()
                self._begin(following[1:])
