"""Looks for the seed of a space: draws lengths and signs until every figure of what it sounds like reaches what is asked.

Usage: bin/bench seeds SPACE [--first 1]

Whatever fails soonest and costs least comes first. A seed in some hundreds to thousands reaches everything, in the low octaves
by luck: an octave at 125 Hz of a decay of 0.6 s holds so few modes that its T30 strays by 3 % (standard deviation over seeds).
"""

import argparse
import itertools
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from bench import acoustics
from bench.acoustics import (
    DENSE_MS,
    EARLY_DB,
    LEVEL_DB,
    LEVEL_DECAYS_S,
    RINGING_DB,
    RINGING_DECAYS_S,
    SIDES,
    SIDES_BY_OCTAVE,
    SIDES_DECAYS_S,
    SIZES,
    SPREAD_DB,
    SPREAD_DECAYS_S,
    T30_DECAYS_S,
    T30_PERCENT,
)

from highhall.effects.reverb import design, effect, spaces

THIN = 0.88
"""The least echo density, in stretches of 20 ms from 0.05 to 0.9 s on."""


def sow(space: str, seed: int) -> None:
    """Make every reverb of that space from another seed, in this process."""
    design.SPACES = {**spaces.SPACES, space: replace(spaces.SPACES[space], seed=seed)}
    design._structure_of.cache_clear()
    effect._still_settings.cache_clear()


def shares(space: str) -> Iterator[tuple[str, float]]:
    """Yield every figure's name and its share of what is asked at most: over 1, it is not reached."""
    for decay_s, size in itertools.product(T30_DECAYS_S[:2], SIZES):
        yield f"T30 at {decay_s} s, size {size}", decay(space, decay_s, size)
    for decay_s, size in itertools.product(SIDES_DECAYS_S, SIZES):
        whole, octave = acoustics.correlations(space, decay_s, size)
        yield f"sides at {decay_s} s, size {size}", max(whole / SIDES, octave / SIDES_BY_OCTAVE)
    for decay_s, size in itertools.product(SPREAD_DECAYS_S, SIZES):
        yield f"late spread at {decay_s} s, size {size}", acoustics.late_spread(space, decay_s, size) / SPREAD_DB
    yield "density after its rise", THIN / thinnest(space)
    for decay_s, size in itertools.product(T30_DECAYS_S[2:], SIZES):
        yield f"T30 at {decay_s} s, size {size}", decay(space, decay_s, size)
    yield "rise of density", acoustics.time_to_density(space) / DENSE_MS[space]
    for decay_s in RINGING_DECAYS_S:
        yield f"ringing at {decay_s} s", acoustics.ringing(space, decay_s) / RINGING_DB
    for decay_s, size, early_db in itertools.product(LEVEL_DECAYS_S, SIZES, EARLY_DB):
        yield (
            f"level at {decay_s} s, size {size}",
            abs(acoustics.level_error(space, decay_s, size, early_db)) / LEVEL_DB,
        )


def decay(space: str, decay_s: float, size: float) -> float:
    return 100 * float(np.abs(acoustics.decay_error(space, decay_s, size)).max()) / T30_PERCENT


def thinnest(space: str) -> float:
    """Return the least echo density of a stretch of 20 ms after the rise."""
    density = acoustics.echo_density(acoustics.responses(1.0, space=space, decay_s=2.0).reshape(16, -1))
    stretch = acoustics.RATE // 50
    late = density[acoustics.RATE // 20 : acoustics.RATE * 9 // 10]
    return float(late[: len(late) // stretch * stretch].reshape(-1, stretch).mean(axis=1).min())


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("space", choices=acoustics.SPACES)
    parser.add_argument("--first", type=int, default=1)
    options = parser.parse_args()
    for seed in itertools.count(options.first):
        sow(options.space, seed)
        missed = next(((name, share) for name, share in shares(options.space) if share > 1), None)
        print(seed, "reaches everything" if missed is None else f"{missed[0]}: {missed[1]:.2f} of what is asked", flush=True)  # fmt: skip
        if missed is None:
            return


if __name__ == "__main__":
    main()
