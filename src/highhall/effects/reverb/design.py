"""From the parameters of a reverb to the numbers of its network, and the level law.

**Level law.** For steady pink noise every space at every decay gives the power it gets. Late part: with
H16/4 orthogonal and the lines' signals uncorrelated, the power that enters line i is b_i^2 + S, where
S = mean_j g_j^2 (b_j^2 + S) and g_j(f) is the gain of line j's shelves, so S = mean(g^2 b^2) / (1 -
mean(g^2)), and the output's power is sum_i c_i^2 (b_i^2 + S). Early part: the squared magnitude of its
taps. Both are averaged over 20 Hz to 20 kHz under pink weighting; diffusers are all-pass.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy.linalg
from numpy.typing import NDArray

from highhall.effects.reverb.decay import DecayCurve
from highhall.effects.reverb.early import early_taps
from highhall.effects.reverb.network import BLOCK, CELL, INTERPOLATION_REACH, LINES
from highhall.effects.reverb.spaces import SPACES, Space
from highhall.plan.model import Step

_DIFFUSER_SHARE = 0.4
_PINK_HZ = np.geomspace(20, 20000, 1500)  # equal weight on a logarithmic grid is pink weighting


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Design:
    """The numbers of one network; shapes as `run_network` says. `input_gain` obeys the level law."""

    decay: DecayCurve
    lengths: NDArray[np.int64]
    depths: NDArray[np.float64]
    rates: NDArray[np.float64]
    phases: NDArray[np.float64]
    shelves: NDArray[np.float64]
    inputs: NDArray[np.float64]
    outputs: NDArray[np.float64]
    diffuser_lengths: NDArray[np.int64]
    diffuser_gains: NDArray[np.float64]
    tap_delays: NDArray[np.int64]
    tap_gains: NDArray[np.float64]
    input_gain: float
    block: int


def design_reverb(step: Step, sample_rate: int) -> Design:
    """Return the network of a reverb step at a sample rate in Hz; the space must be in `SPACES`."""
    numbers = tuple(step.number(name) for name in _NUMBERS)
    return _design(str(step.value("space")), numbers, sample_rate)


_NUMBERS = (
    "decay_s", "low_ratio", "low_hz", "high_ratio", "high_hz",
    "size", "early_db", "diffusion", "mod_depth", "mod_hz",
)  # fmt: skip


@lru_cache(maxsize=128)
def _design(name: str, numbers: tuple[float, ...], sample_rate: int) -> Design:
    space = SPACES[name]
    *curve, size, early_db, diffusion, mod_depth, mod_hz = numbers
    rng = np.random.default_rng(space.seed)
    decay = DecayCurve(**dict(zip(_NUMBERS, curve, strict=False)))
    lengths = _line_lengths(space, size, sample_rate, rng)
    wander = np.zeros(LINES)
    wander[0::2] = mod_depth * space.wander_ms / 1000 * sample_rate
    inputs, outputs = _signs(rng)
    diffuser_lengths = _diffuser_lengths(space, size, diffusion, sample_rate)
    shelves = decay.shelves(lengths, sample_rate)
    tap_delays, tap_gains = early_taps(space, size, sample_rate)
    early_scale, input_gain = _levels(
        _late_power(inputs, outputs, shelves, sample_rate),
        _early_power(tap_delays, tap_gains, sample_rate),
        10 ** (early_db / 10),
    )
    spread = 0.35 + 0.9 * (np.arange(LINES) * 0.618034 % 1.0)
    return Design(
        decay=decay,
        lengths=lengths,
        depths=wander,
        rates=mod_hz * spread * CELL / sample_rate,
        phases=np.asarray(np.arange(LINES) * 0.381966 % 1.0, np.float64),
        shelves=shelves,
        inputs=inputs,
        outputs=outputs,
        diffuser_lengths=diffuser_lengths,
        diffuser_gains=_diffuser_gains(diffuser_lengths[0] / sample_rate, space.diffuser_gain, decay),
        tap_delays=tap_delays,
        tap_gains=early_scale * tap_gains,
        input_gain=input_gain,
        block=min(BLOCK, int(lengths.min() - wander.max()) - INTERPOLATION_REACH),
    )


def _line_lengths(space: Space, size: float, sample_rate: int, rng: np.random.Generator) -> NDArray[np.int64]:
    """Return 16 different primes, spread in the logarithm with some irregularity, in mixed order."""
    place = (np.arange(LINES) + 0.5 + rng.uniform(-0.3, 0.3, LINES)) / LINES
    wanted_ms = space.shortest_line_ms * (space.longest_line_ms / space.shortest_line_ms) ** place
    return rng.permutation(_near_primes(wanted_ms * size * sample_rate / 1000))


def _diffuser_lengths(space: Space, size: float, diffusion: float, sample_rate: int) -> NDArray[np.int64]:
    """Return the all-passes' lengths by side, (2, stages): less diffusion has fewer stages, the longest go first.

    Their gain stays: an all-pass of gain 0 is not transparent but a plain delay.
    """
    kept = round(diffusion * len(space.diffuser_ms))
    left = np.array(space.diffuser_ms[:kept]) * size * sample_rate / 1000
    return _near_primes(np.concatenate([left, left * 1.071])).reshape(2, -1)


def _diffuser_gains(lengths_s: NDArray[np.float64], gain: float, decay: DecayCurve) -> NDArray[np.float64]:
    """Return all-pass gains that ring for at most 0.4 of the decay, so that they do not lengthen it."""
    limits: NDArray[np.float64] = 10 ** (
        -3 * lengths_s / (_DIFFUSER_SHARE * decay.decay_s * math.sqrt(min(decay.high_ratio, 1.0)))
    )
    return np.minimum(gain, limits)


def _near_primes(wanted: NDArray[np.float64]) -> NDArray[np.int64]:
    """Return for each number a prime close to it, none twice."""
    limit = int(wanted.max(initial=0) * 1.2) + 200
    sieve = np.ones(limit, bool)
    sieve[:2] = False
    for n in range(2, math.isqrt(limit) + 1):
        if sieve[n]:
            sieve[n * n :: n] = False
    chosen = np.empty(len(wanted), np.int64)
    for index, value in enumerate(wanted):
        primes = np.flatnonzero(sieve)
        chosen[index] = primes[np.argmin(np.abs(primes - value))]
        sieve[chosen[index]] = False
    return chosen


def _signs(rng: np.random.Generator) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return input and output gains by side, (2, 16): left feeds even lines, right odd ones.

    In each half the signs of the input and of both outputs are rows of a Hadamard matrix with the same
    columns turned round, so all three are orthogonal and the tail's sides are uncorrelated whatever is fed.
    """
    half = LINES // 2
    inputs, outputs = np.zeros((2, LINES)), np.zeros((2, LINES))
    for side in range(2):
        fed, left, right = scipy.linalg.hadamard(half)[rng.permutation(half)[:3]] * rng.choice([-1.0, 1.0], half)
        inputs[side, side::2] = fed
        outputs[0, side::2], outputs[1, side::2] = left, right
    return inputs / math.sqrt(half), outputs / math.sqrt(LINES)


def _late_power(
    inputs: NDArray[np.float64], outputs: NDArray[np.float64], shelves: NDArray[np.float64], sample_rate: int
) -> float:
    """Return the power both sides give for unit power fed to one side, pink-weighted, before scaling."""
    z = np.exp(-2j * np.pi * np.minimum(_PINK_HZ, 0.499 * sample_rate) / sample_rate)[:, None]
    low = (shelves[0] + shelves[1] * z) / (1 + shelves[2] * z)
    high = (shelves[3] + shelves[4] * z) / (1 + shelves[5] * z)
    gain_squared = np.abs(low * high) ** 2
    fed = (inputs**2).mean(axis=0)
    heard = (outputs**2).sum(axis=0)
    returning = (gain_squared * fed).mean(axis=1) / (1 - gain_squared.mean(axis=1))
    return float(np.mean((heard * (fed + returning[:, None])).sum(axis=1)))


def _early_power(delays: NDArray[np.int64], gains: NDArray[np.float64], sample_rate: int) -> float:
    """Return the power both sides give for unit power fed to one side, pink-weighted, before scaling."""
    turns = -2j * np.pi * _PINK_HZ / sample_rate
    response = (gains[:, :, None] * np.exp(turns * delays[:, :, None])).sum(axis=1)
    return float(np.mean(np.abs(response) ** 2)) * 2


def _levels(late: float, early: float, early_over_late: float) -> tuple[float, float]:
    """Return the factor of the early taps and the gain at the input that makes the sum unit power."""
    scale = math.sqrt(early_over_late * late / early)
    return scale, 1 / math.sqrt(late * (1 + early_over_late))
