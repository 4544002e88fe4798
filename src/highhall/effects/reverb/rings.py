"""Delay lines as rings, one behind the other in one array: nothing is moved when a line has been written to its end.

What lies at the beginning of a ring is repeated behind its end, and what is written over the end comes to the beginning.
So whatever is read or written in one block lies side by side.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from highhall.effects.signals import Signal, WholeNumbers
from highhall.effects.vectors import COUNT, aligned, load, store, whole_vectors

FIRST, SIZE, PLACE, TWICE, REACH, HEARD = range(6)
"""Rows of a table of rings: where a ring begins in the array, its size, where it is written next, how much of its beginning is
repeated behind its end, how far back it is read at most, and where what is heard of it now begins."""

SLACK = 2 * COUNT
"""Of every buffer behind all that is written: what sixteen frames at a time read and write over the end of a block."""


def empty_rings(reaches: NDArray[np.int64], wander: int, block: int, before: int) -> tuple[Signal, WholeNumbers]:
    """Return the array of silent rings, and their table, (6, rings).

    reaches: how far back each is read at most, (rings,), in samples; wander: by how much less at least that may be;
    block: the longest block; before: frames of the array before all rings.
    """
    twice = whole_vectors(block + wander)
    sizes = [whole_vectors(int(reach) + SLACK) for reach in reaches]
    *firsts, end = (before + np.cumsum([0, *(size + twice + SLACK for size in sizes)])).tolist()
    table = np.array([firsts, sizes, firsts, [twice] * len(sizes), reaches, firsts], np.int64)
    return aligned(end), table


@njit(nogil=True, cache=True)
def copy_frames(source: Signal, at: int, target: Signal, to: int, count: int) -> None:
    """Copy frames sixteen at a time; what is written beyond `count` means nothing."""
    for n in range(0, count, COUNT):
        store(target, to + n, load(source, at + n))


@njit(nogil=True, cache=True)
def now_in(rings: WholeNumbers, ring: int) -> int:
    """Return the place that is written next, as what is read back from: behind the end where it lies before the ring's beginning."""
    place: int = rings[PLACE, ring]
    return place if place - rings[FIRST, ring] >= rings[REACH, ring] else place + rings[SIZE, ring]


@njit(nogil=True, cache=True)
def go_on(lines: Signal, rings: WholeNumbers, count: int) -> None:
    """Take all rings `count` frames further, which were written to each from its place on."""
    for ring in range(rings.shape[1]):
        first, size, place = rings[FIRST, ring], rings[SIZE, ring], rings[PLACE, ring]
        end, repeated, stop = first + size, first + rings[TWICE, ring], place + count
        if stop > end:
            copy_frames(lines, end, lines, first, stop - end)
        elif place < repeated:
            copy_frames(lines, place, lines, place + size, min(count, repeated - place))
        rings[PLACE, ring] = stop if stop < end else stop - size
