"""Several at once, each in a thread with a connection of its own."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from django.db import connections

_T = TypeVar("_T")


def in_threads(count: int, work: Callable[[int], _T]) -> list[_T]:
    """Return what each of some threads has made of its number."""

    def run(number: int) -> _T:
        try:
            return work(number)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(count) as pool:
        return list(pool.map(run, range(count)))
