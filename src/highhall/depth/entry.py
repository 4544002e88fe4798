"""A track on its way into a return."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.plan import Group, Send


@dataclass(frozen=True, slots=True, eq=False)
class Entry:
    """A track on its way into a route by one send: its own, or that of its group, whose fader it passes as `group`.

    mixing: (sections, 2, 2), the powers of middle and side that the send lets in for 1 in each row of the track's energies.
    levels: the power gain of the send, one number, or by hop of 100 ms where it moves.
    """

    track: int
    send: Send
    group: Group | None
    mixing: NDArray[np.float64]
    levels: float | NDArray[np.float64]

    @property
    def key(self) -> tuple[object, ...]:
        """What its share of a route depends on, apart from a level that stands still."""
        levels = None if isinstance(self.levels, float) else self.levels.tobytes()
        return self.track, self.mixing.tobytes(), levels
