"""How long sound rings in effects one behind another.

Noise that falls exponentially in each of several effects falls behind all of them as the sum of as many exponential
times does: hardly later than in the slowest of them, far sooner than after the sum of their times.
"""

import functools
import math
from dataclasses import dataclass
from itertools import zip_longest

from scipy import special

MEMORY_DB = 110.0
"""What has fallen so far is not heard any more."""


@functools.cache
def _times_slower(count: int) -> float:
    """Return how much later the power behind so many equal falls is `MEMORY_DB` down than behind one: Erlang's distribution."""
    return float(special.gammainccinv(count, 10 ** (-MEMORY_DB / 10)) / (MEMORY_DB / 10 * math.log(10)))


@dataclass(frozen=True, slots=True)
class Ringing:
    """What rings on in effects in a row: `waits_s`, in which it may be as loud as ever, and exponential falls, each of 110 dB."""

    waits_s: float = 0.0
    falls_s: tuple[float, ...] = ()

    def before(self, other: "Ringing") -> "Ringing":
        """Return how it rings where one feeds the other."""
        return Ringing(self.waits_s + other.waits_s, (*self.falls_s, *other.falls_s))

    def beside(self, other: "Ringing") -> "Ringing":
        """Return what rings as long as either does, whatever feeds both."""
        falls = (sorted(each.falls_s, reverse=True) for each in (self, other))
        return Ringing(max(self.waits_s, other.waits_s), tuple(map(max, zip_longest(*falls, fillvalue=0.0))))

    @property
    def memory_s(self) -> float:
        """How long the past can be heard, in seconds.

        The slowest falls count as so many equal ones, those that are too short to matter are added, whatever is less.
        """
        falls = sorted((fall for fall in self.falls_s if fall > 0), reverse=True)
        bounds = [_times_slower(count) * falls[0] + sum(falls[count:]) for count in range(1, len(falls) + 1)]
        return self.waits_s + min(bounds, default=0.0)
