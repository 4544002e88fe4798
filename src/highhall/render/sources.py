"""What can be heard in a block: tracks, groups and returns before and after their faders.

Their sounds lie side by side in one table, a channel a row, as they are before any fader; a source is the rows to read
for left and right, each with a factor. So a mono track is one row whatever listens to it, and many sources are added
in one pass over memory.
"""

from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from highhall.effects import Signal
from highhall.effects.signals import WholeNumbers
from highhall.render.mixing import faded
from highhall.render.parallel import for_each

SourceKey = tuple[str, str]
"""The id of a track, group or return, and `pre` or `post`."""

SideGains = tuple[float, float]
"""Factors for left and right."""

AS_IT_IS: SideGains = (1.0, 1.0)

_AT_ONCE = 4
_CHUNK = 512
"""Frames that are summed at once, so that what is read several times stays in the nearest cache."""

_PART_FRAMES = 16384
"""Frames that one thread mixes at a time."""


@njit(
    "void(float32[:,::1], int64[::1], int64[::1], float32[::1], float32[:,::1], int64, int64)",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _add_rows(
    table: Signal, firsts: WholeNumbers, rows: WholeNumbers, gains: Signal, sums: Signal, start: int, stop: int
) -> None:
    """Write sums of rows of the table to `sums`, (sums, frames), from frame `start` to `stop`.

    Sum i takes the rows `rows[firsts[i]:firsts[i + 1]]`, a multiple of four, in order and each by its gain.
    """
    for begin in range(start, stop, _CHUNK):
        end = min(begin + _CHUNK, stop)
        for index in range(sums.shape[0]):
            out = sums[index, begin:end]
            out[:] = np.float32(0)
            for four in range(firsts[index], firsts[index + 1], _AT_ONCE):
                g0, g1, g2, g3 = gains[four], gains[four + 1], gains[four + 2], gains[four + 3]
                r0, r1 = table[rows[four], begin:end], table[rows[four + 1], begin:end]
                r2, r3 = table[rows[four + 2], begin:end], table[rows[four + 3], begin:end]
                for n in range(end - begin):
                    out[n] += (g0 * r0[n] + g1 * r1[n]) + (g2 * r2[n] + g3 * r3[n])


@dataclass(frozen=True, slots=True)
class _Source:
    """The rows for left and right, and a factor for each."""

    rows: tuple[int, int]
    gains: SideGains


class Mix:
    """Buses that take sources by gains that never change."""

    def __init__(self, buses: Sequence[Sequence[tuple[_Source, SideGains]]]) -> None:
        firsts, rows, gains = [0], [], []
        for bus in buses:
            for side in (0, 1):
                terms = [(source.rows[side], source.gains[side] * by[side]) for source, by in bus]
                terms = [(row, gain) for row, gain in terms if gain != 0]
                terms += [(row, 0.0) for row, _ in terms[:1]] * (-len(terms) % _AT_ONCE)
                rows += [row for row, _ in terms]
                gains += [gain for _, gain in terms]
                firsts.append(len(rows))
        self.firsts, self.rows = np.array(firsts, np.int64), np.array(rows, np.int64)
        self.gains = np.array(gains, np.float32)

    @property
    def sums(self) -> int:
        """The number of sides of buses."""
        return len(self.firsts) - 1


class Sources:
    """The table of a block. What is read from it holds until the next block begins."""

    def __init__(self) -> None:
        self._sources: dict[SourceKey, _Source] = {}
        self._table = np.zeros((0, 0), np.float32)

    def hold(self, channels: int, sources: Mapping[SourceKey, SideGains]) -> None:
        """Make rows for a sound of one or two channels; each of its sources reads them by factors."""
        first, last = self._table.shape[0], self._table.shape[0] + channels - 1
        self._table = np.zeros((last + 1, 0), np.float32)
        self._sources |= {key: _Source((first, last), gains) for key, gains in sources.items()}

    def begin(self, frames: int) -> None:
        """Make room for the next block."""
        if self._table.shape[1] != frames:
            self._table = np.zeros((self._table.shape[0], frames), np.float32)

    def let_go(self) -> None:
        """Give back the memory of the block; the next one makes room anew."""
        self.begin(0)

    def room(self, key: SourceKey) -> Signal:
        """Return the rows that a source reads, (channels, frames), to be written: the sound before its factors."""
        left, right = self._sources[key].rows
        room: Signal = self._table[left : right + 1]
        return room

    def __contains__(self, key: SourceKey) -> bool:
        return key in self._sources

    def __getitem__(self, key: SourceKey) -> Signal:
        """Return the sound of a source, (2, frames), to be read only."""
        source = self._sources[key]
        (left, right), gains = source.rows, source.gains
        if left < right and gains == AS_IT_IS:
            return self.room(key)
        return faded((self._table[left], self._table[right]), gains)

    def mix(self, buses: Iterable[Mapping[SourceKey, SideGains]]) -> Mix:
        """Return a mix of sources into buses, each with its sources and their gains for left and right."""
        return Mix([[(self._sources[key], gains) for key, gains in bus.items()] for bus in buses])

    def mixed(self, mix: Mix, executor: Executor | None = None) -> NDArray[np.float32]:
        """Return what a mix makes of the block, (buses, 2, frames)."""
        frames = self._table.shape[1]
        sums = np.empty((mix.sums, frames), np.float32)

        def add(start: int) -> None:
            stop = min(start + _PART_FRAMES, frames)
            _add_rows(self._table, mix.firsts, mix.rows, mix.gains, sums, start, stop)

        for_each(executor, add, range(0, frames, _PART_FRAMES))
        return sums.reshape(-1, 2, frames)
