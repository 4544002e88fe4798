"""What can be tapped in a block: tracks, groups and returns before and after their faders, side by side in one table.

So many sources are added in one pass over memory.
"""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from highhall.effects import Signal

TapKey = tuple[str, str]
"""The id of a track, group or return, and `pre` or `post`."""

_CHUNK = 1024
"""Frames that are summed at once, so that the sum stays in the nearest cache."""


@njit("void(float32[:,:,::1], int64[::1], float32[:,:,::1], float32[:,:,::1])", nogil=True, cache=True)
def _add_rows(
    table: NDArray[np.float32], rows: NDArray[np.int64], gains: NDArray[np.float32], buses: NDArray[np.float32]
) -> None:
    """Add rows of the table, (rows, 2, frames), to buses, (buses, 2, frames), by gains, (rows, buses, 2), in order."""
    for start in range(0, buses.shape[2], _CHUNK):
        stop = min(start + _CHUNK, buses.shape[2])
        for number in range(rows.shape[0]):
            for bus in range(buses.shape[0]):
                for side in range(2):
                    gain = gains[number, bus, side]
                    if gain == 0:
                        continue
                    source, out = table[rows[number], side, start:stop], buses[bus, side, start:stop]
                    for frame in range(stop - start):
                        out[frame] += gain * source[frame]


class Mix:
    """Buses that take taps by gains that never change; for every bus its taps, each with a gain for left and right."""

    def __init__(self, rows: Mapping[TapKey, int], buses: Sequence[Mapping[TapKey, tuple[float, float]]]) -> None:
        keys = list(dict.fromkeys(key for bus in buses for key in bus))
        self.rows = np.array([rows[key] for key in keys], np.int64)
        gains = [[bus.get(key, (0.0, 0.0)) for bus in buses] for key in keys]
        self.gains = np.array(gains, np.float32).reshape(len(keys), len(buses), 2)


class Taps:
    """The table of a block. What is read from it holds until the next block begins."""

    def __init__(self, keys: Iterable[TapKey]) -> None:
        self._rows = {key: row for row, key in enumerate(dict.fromkeys(keys))}
        self._table = np.zeros((len(self._rows), 2, 0), np.float32)

    def begin(self, frames: int) -> None:
        """Make room for the next block."""
        if self._table.shape[2] != frames:
            self._table = np.zeros((len(self._rows), 2, frames), np.float32)

    def __contains__(self, key: TapKey) -> bool:
        return key in self._rows

    def __getitem__(self, key: TapKey) -> Signal:
        """Return the sound of a tap, (2, frames), to be read or written."""
        sound: Signal = self._table[self._rows[key]]
        return sound

    def mix(self, *buses: Mapping[TapKey, tuple[float, float]]) -> Mix:
        """Return a mix of taps into one bus or several, each with its taps and their gains for left and right."""
        return Mix(self._rows, buses)

    def mixed(self, mix: Mix) -> NDArray[np.float32]:
        """Return what a mix makes of the block, (buses, 2, frames)."""
        buses = np.zeros((mix.gains.shape[1], 2, self._table.shape[2]), np.float32)
        _add_rows(self._table, mix.rows, mix.gains, buses)
        return buses
