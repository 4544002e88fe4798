"""Looks for the directions in which a reverb's lines are heard: those that cancel however power lies along the lines.

Usage: bin/bench directions

For every space, decay and size, and for either side fed, it measures how the power that comes after a tenth of a second is shared
among the sixteen lines. Doubled, the directions are vectors; weighted by these shares their sum should be nothing: its sine is the
correlation of the sides, its cosine their difference in power over their sum, of which more than twice as much is allowed.
"""

import itertools
from unittest import mock

import numpy as np
from bench import acoustics
from bench.acoustics import RATE, SIZES, SPACES
from bench.seeds import sow
from numpy.typing import NDArray
from scipy import optimize

from highhall.effects.reverb import design
from highhall.effects.reverb.network import LINES
from highhall.effects.reverb.spaces import SPACES as AS_THEY_ARE

DECAYS_S, BEGIN_S, TRIES = (0.5, 0.7, 1.0, 1.5, 3.0), 0.1, 60
BALANCE = 0.4
"""What a difference in power counts against a correlation."""
AS_A_WHOLE = 50
"""What it counts that all lines together, at equal power, give both sides as much."""


def power_shares(space: str, decay_s: float, size: float) -> NDArray[np.float64]:
    """Return each line's share of the late power by the side that is fed, (2, 16)."""
    powers = np.zeros((2, LINES))
    gains = design._gains
    for line in range(LINES):

        def one(rng: np.random.Generator, line: int = line) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
            return gains(rng)[0], np.stack([np.arange(LINES) == line] * 2).astype(np.float64)

        with mock.patch.object(design, "_gains", one):
            sow(space, AS_THEY_ARE[space].seed)
            for side in range(2):
                hit = np.zeros((2, int((decay_s + 0.2) * RATE)), np.float32)
                hit[side, 0] = 1
                late = acoustics.heard(hit, space=space, decay_s=decay_s, size=size, early_db=-60)[
                    0, int(BEGIN_S * RATE) :
                ]
                powers[side, line] = np.sum(late.astype(np.float64) ** 2)
    return powers / powers.sum(axis=1, keepdims=True)


def cancelling(shares: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """Return directions in radians, (16,), whose worst sum under any of the shares, (cases, 16), is least, and that sum."""
    cases = np.concatenate([shares, np.full((1, LINES), AS_A_WHOLE / LINES)])

    def worst(doubled: NDArray[np.float64], power: int) -> float:
        sums = np.abs(np.concatenate([cases @ np.sin(doubled), BALANCE * (cases @ np.cos(doubled))]))
        return float(np.sum(sums**power) ** (1 / power))

    def found(begin: NDArray[np.float64]) -> NDArray[np.float64]:
        for power in (2, 4, 8, 16):
            begin = optimize.minimize(worst, begin, args=(power,), method="BFGS").x
        return begin

    rng = np.random.default_rng(0)
    best = min((found(rng.uniform(0, 2 * np.pi, LINES)) for _ in range(TRIES)), key=lambda doubled: worst(doubled, 40))
    return best / 2 % np.pi, worst(best, 40)


def main() -> None:
    cases = itertools.product(SPACES, DECAYS_S, SIZES)
    directions, worst = cancelling(np.concatenate([power_shares(*case) for case in cases]))
    print("degrees:", np.degrees(directions).round().astype(int).tolist(), f"worst sum: {worst:.3f}")


if __name__ == "__main__":
    main()
