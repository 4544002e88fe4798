"""From the parameters of a reverb to the numbers of its network, and the level law.

**Level law.** For steady pink noise every space at every decay gives the power it gets. Late part: with
H16/4 orthogonal and the lines' signals uncorrelated, the power that enters line i is b_i^2 + S, where
S = mean_j g_j^2 (b_j^2 + S) and g_j(f) is the gain of line j's shelves, so S = mean(g^2 b^2) / (1 -
mean(g^2)), and the output's power is sum_i c_i^2 (b_i^2 + S). Early part: the squared magnitude of its
reflections. Both are averaged over 20 Hz to 20 kHz under pink weighting, behind the high-pass that comes before them;
diffusers are all-pass.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from highhall.curves import CELL
from highhall.effects.delay import GLIDING_REACH
from highhall.effects.reverb.dc_blocker import dc_blocker_section
from highhall.effects.reverb.decay import DecayCurve
from highhall.effects.reverb.early import early_reflections
from highhall.effects.reverb.network import BLOCK, LINES
from highhall.effects.reverb.spaces import SPACES, Space
from highhall.effects.signals import Signal
from highhall.effects.vectors import COUNT
from highhall.plan.model import Effect

_DIFFUSER_SHARE = 0.3
_LONGEST_LINE_MS, _LONGEST_LINE_SHARE = 340, 0.17
_LEAST_SPREAD = 4.0
_STAGES, _DIFFUSED_LINE_MS = 8, 240
_TOWARDS_LONG = 2.2
"""How much closer to each other lines lie the longer they are; 1 is evenly in the logarithm."""
_PINK_HZ = np.geomspace(20, 20000, 1500)  # equal weight on a logarithmic grid is pink weighting
_COARSE_HZ = np.geomspace(20, 20000, 121)  # enough for shelves, which are smooth
_WANDERING = (0, 5, 8, 13)
_FED = np.linspace(1.75, 0.25, LINES // 2)
"""What lines are fed, in power, from the shortest to the longest of a half."""
_HEARD_AT = np.radians([102, 5, 1, 97, 81, 6, 170, 95, 85, 6, 12, 102, 129, 41, 65, 156])
"""Where lines are heard, from the shortest to the longest: 0 is left, 45 degrees both sides alike, 90 right, 135 both sides against each other."""


@dataclass(frozen=True, slots=True, eq=False)
class Reflections:
    """The early part, (4, reflections) as `early_reflections` says; `power` is what both sides give for unit power fed to one."""

    delays: NDArray[np.int64]
    gains: NDArray[np.float64]
    power: float


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Structure:
    """What of a network never moves; shapes as `Layout` says.

    Lines with a row in `wanders`, which is -1 for others, wander by up to `depth` samples x mod_depth, with the phase
    spreads[row] x that of mod_hz + phases[row].
    """

    lengths: NDArray[np.int64]
    wanders: NDArray[np.int64]
    depth: float
    spreads: NDArray[np.float64]
    phases: NDArray[np.float64]
    inputs: NDArray[np.float64]
    outputs: NDArray[np.float64]
    diffuser_lengths: NDArray[np.int64]
    diffuser_gain: float
    reflections: Reflections
    block: int


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Settings:
    """What of a network may move, for one or several moments: every array has them first.

    shelves (moments, 96), diffuser_gains (moments, stages), reflection_gains (moments, 4, reflections), input_gains (moments,):
    obeys the level law.
    """

    shelves: Signal
    diffuser_gains: Signal
    reflection_gains: Signal
    input_gains: NDArray[np.float64]


def structure_for(effect: Effect, shortest_decay_s: float, sample_rate: int) -> Structure:
    """Return the network of a reverb effect whose decay is never shorter than `shortest_decay_s`.

    Where that is so short that a line would lose 10 dB of it in one pass, lines and diffusers are shorter.
    """
    size, diffusion = effect.number("size"), effect.number("diffusion")
    longest_ms = min(_LONGEST_LINE_MS, 1000 * _LONGEST_LINE_SHARE * shortest_decay_s)
    return _structure_of(str(effect.value("space")), size, diffusion, longest_ms, sample_rate)


def reflections_for(effect: Effect, sample_rate: int) -> Reflections:
    """Return the early part of a reverb effect."""
    return _reflections_of(str(effect.value("space")), effect.number("size"), sample_rate)


@lru_cache(maxsize=64)
def _reflections_of(name: str, size: float, sample_rate: int) -> Reflections:
    delays, gains = early_reflections(SPACES[name], size, sample_rate)
    powers = _early_powers(delays, gains, sample_rate)
    power = powers.mean()
    gains *= np.sqrt(power / powers).repeat(2)[:, None]  # a room is heard from beside its middle
    return Reflections(delays, gains, float(power))


@lru_cache(maxsize=64)
def _structure_of(name: str, size: float, diffusion: float, longest_ms: float, sample_rate: int) -> Structure:
    """Return the network of a space whose longest line is so long.

    The longest line is as long in every space: the more samples all lines have, the more modes, and with fewer of them a tail
    could be told from noise. So a smaller size brings reflections closer, not the lines.
    """
    space = SPACES[name]
    rng = np.random.default_rng(space.seed)
    line_size = max(1.0, size)
    shortest_ms = min(space.shortest_line_ms * line_size, longest_ms / _LEAST_SPREAD)
    shortening = min(1.0, longest_ms / (_DIFFUSED_LINE_MS * line_size))
    lengths = _line_lengths(shortest_ms, longest_ms, sample_rate, rng)
    rows = np.arange(len(_WANDERING))
    wanders = np.full(LINES, -1)
    wanders[list(_WANDERING)] = rows
    depth = min(space.wander_ms / 1000 * sample_rate, lengths.min() / 8)
    inputs, outputs = _gains(rng)
    return Structure(
        lengths=lengths,
        wanders=wanders,
        depth=depth,
        spreads=np.asarray(0.35 + 0.9 * (rows * 0.618034 % 1.0), np.float64),
        phases=np.asarray(rows * 0.381966 % 1.0, np.float64),
        inputs=inputs,
        outputs=outputs,
        diffuser_lengths=_diffuser_lengths(space, size * shortening, diffusion, sample_rate),
        diffuser_gain=space.diffuser_gain,
        reflections=_reflections_of(name, size, sample_rate),
        block=_whole_cells(min(BLOCK, int(lengths.min() - depth) - GLIDING_REACH)),
    )


def settings_of(structure: Structure, decay: DecayCurve, early: NDArray[np.float64], sample_rate: int) -> Settings:
    """Return what a decay and an early level make of a network.

    decay: values (moments, 1). early: (moments,), the early part's amplitude against the late part's.
    """
    shelves = decay.shelves(structure.lengths, sample_rate)
    late = _late_power(structure.inputs, structure.outputs, shelves, sample_rate)
    early_over_late = early**2
    factors = np.sqrt(early_over_late * late / structure.reflections.power)
    return Settings(
        shelves=np.ascontiguousarray(shelves.swapaxes(0, 1).reshape(len(early), -1), np.float32),
        diffuser_gains=_diffuser_gains(structure.diffuser_lengths[0] / sample_rate, structure.diffuser_gain, decay),
        reflection_gains=(structure.reflections.gains * factors[:, None, None]).astype(np.float32),
        input_gains=1 / np.sqrt(late * (1 + early_over_late)),
    )


def _whole_cells(frames: int) -> int:
    return frames // CELL * CELL or frames


def _line_lengths(
    shortest_ms: float, longest_ms: float, sample_rate: int, rng: np.random.Generator
) -> NDArray[np.int64]:
    """Return 16 different primes in ascending order, spread in the logarithm with some irregularity, closer to each other the longer.

    Long lines bring the modes, of which a tail that is like noise needs many; short ones make it dense soon.
    """
    evenly = (np.arange(LINES) + 0.5 + rng.uniform(-0.3, 0.3, LINES)) / LINES
    place = 1 - (1 - evenly) ** _TOWARDS_LONG
    wanted_ms = shortest_ms * (longest_ms / shortest_ms) ** place
    return np.sort(_near_primes(wanted_ms * sample_rate / 1000))


def _diffuser_lengths(space: Space, size: float, diffusion: float, sample_rate: int) -> NDArray[np.int64]:
    """Return the all-passes' lengths by side, (2, stages): less diffusion has fewer stages, the longest go first.

    Their gain stays: an all-pass of gain 0 is not transparent but a plain delay.
    """
    kept = round(diffusion * _STAGES)
    left = np.geomspace(*space.diffuser_ms, _STAGES)[:kept] * size * sample_rate / 1000
    return _near_primes(np.concatenate([left, left * 1.071])).reshape(2, -1)


def _diffuser_gains(lengths_s: NDArray[np.float64], gain: float, decay: DecayCurve) -> Signal:
    """Return all-pass gains that ring for at most 0.3 of the shortest decay, so that they do not lengthen it, (moments, stages)."""
    rings_s = _DIFFUSER_SHARE * decay.decay_s * np.minimum(decay.high_ratio, 1.0)
    return np.ascontiguousarray(np.minimum(gain, 10 ** (-3 * lengths_s / rings_s)), np.float32)


def _near_primes(wanted: NDArray[np.float64]) -> NDArray[np.int64]:
    """Return for each number a prime close to it, none twice, and none that is shorter than what the kernel reads at once."""
    limit = int(wanted.max(initial=0) * 1.2) + 200
    sieve = np.ones(limit, bool)
    sieve[:2] = False
    for n in range(2, math.isqrt(limit) + 1):
        if sieve[n]:
            sieve[n * n :: n] = False
    sieve[:COUNT] = False
    chosen = np.empty(len(wanted), np.int64)
    for index, value in enumerate(wanted):
        primes = np.flatnonzero(sieve)
        chosen[index] = primes[np.argmin(np.abs(primes - value))]
        sieve[chosen[index]] = False
    return chosen


def _gains(rng: np.random.Generator) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return input and output gains by side, (2, 16), for lines in ascending order of length: left feeds even ones, right odd ones.

    Signs are drawn. Both outputs have unit length and are orthogonal. Each line is heard in a direction of its own, and
    the directions, doubled, cancel each other in whatever way power lies along the lines: that of the first pass, that of short
    decays, in which longer lines are louder, and that of long ones, in which all are alike. So the tail's sides are uncorrelated
    and equally loud whichever side is fed. Longer lines are fed less, so that what first comes out of them is no burst; they are
    filled by the shorter ones.
    """
    inputs = np.zeros((2, LINES))
    for side in range(2):
        inputs[side, side::2] = np.sqrt(_FED / np.sum(_FED))
    outputs = np.stack([np.cos(_HEARD_AT), np.sin(_HEARD_AT)])
    outputs[1] -= outputs[0] * (outputs[1] @ outputs[0]) / (outputs[0] @ outputs[0])  # what is left of whole degrees
    outputs /= np.linalg.norm(outputs, axis=1, keepdims=True)
    turned = rng.choice([-1.0, 1.0], (2, LINES))
    return inputs * turned[0], outputs * turned[1]


def _late_power(
    inputs: NDArray[np.float64], outputs: NDArray[np.float64], shelves: NDArray[np.float64], sample_rate: int
) -> NDArray[np.float64]:
    """Return the power both sides give for unit power fed to one side, pink-weighted, (moments,)."""
    cosine = _cosine(_COARSE_HZ, sample_rate)[:, None, None]
    gain_squared = _squared(shelves[:3], cosine) * _squared(shelves[3:], cosine)  # (frequencies, moments, lines)
    fed = (inputs**2).mean(axis=0)
    heard = (outputs**2).sum(axis=0)
    returning = (gain_squared * fed).mean(axis=-1) / (1 - gain_squared.mean(axis=-1))
    leaving = _squared(dc_blocker_section(sample_rate), cosine[..., 0]) * (heard * (fed + returning[..., None])).sum(
        axis=-1
    )
    power: NDArray[np.float64] = np.mean(leaving, axis=0)
    return power


def _cosine(hz: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
    cosine: NDArray[np.float64] = np.cos(2 * np.pi * np.minimum(hz, 0.499 * sample_rate) / sample_rate)
    return cosine


def _squared(section: Iterable[NDArray[np.float64] | float], cosine: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the power gain of a first-order section b0, b1, a1 at a frequency's cosine."""
    b0, b1, a1 = section
    power: NDArray[np.float64] = (b0 * b0 + b1 * b1 + 2 * b0 * b1 * cosine) / (1 + a1 * a1 + 2 * a1 * cosine)
    return power


def _early_powers(delays: NDArray[np.int64], gains: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
    """Return by input the power both sides give for unit power fed to it, pink-weighted, (2,)."""
    turns = -2j * np.pi * _PINK_HZ / sample_rate
    response = (gains[:, :, None] * np.exp(turns * delays[:, :, None])).sum(axis=1)
    blocked = _squared(dc_blocker_section(sample_rate), _cosine(_PINK_HZ, sample_rate))
    powers: NDArray[np.float64] = np.mean(blocked * np.abs(response) ** 2, axis=1).reshape(2, 2).sum(axis=1)
    return powers
