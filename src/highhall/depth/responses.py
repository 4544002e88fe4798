"""What a chain makes of what it is fed: energy by frequency, from middle and side to middle and side, and along time."""

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.depth.spectra import RANGE_EDGES_HZ, Energies, binned_squares, middle_and_side
from highhall.effects import NO_RESPONSES, Chain, Response
from highhall.measure.loudness import HOP_S
from highhall.plan import Plan, Return

_HITS_S = (0.0, 1.2, 2.6)
"""When a chain is hit: a reverb that wanders has other modes each time, and what is heard is their mean."""

_HIT = np.float32(1e-3)
_HEARD_SHARE = 0.4
"""Of the time in which a chain falls by 110 dB: what comes after 44 dB adds less than a thousandth of its energy."""
_LONGEST_S = 20.0
_SHORTEST_S = 0.25
_FRAMES = 10  # of a hop


@dataclass(frozen=True, slots=True, eq=False)
class ChainResponse:
    """A chain before its return's width and fader.

    energies: (out, in, bins), power out over power in; out and in are middle and side. envelopes: (ranges, hops of 100 ms),
    the share of what it is fed in a hop that comes out so many hops later, by range of frequency; each sums to 1.
    """

    energies: Energies
    envelopes: NDArray[np.float64]


def chain_response(
    plan: Plan, return_: Return, at_sample: int, responses: Mapping[str, Response] = NO_RESPONSES
) -> ChainResponse | None:
    """Return the response of a return's chain as it is from a sample of the song on; None if it is silent.

    The mean over hits at several times, small enough to drive nothing; an effect that listens hears silence.
    """
    rate = plan.song.sample_rate
    if Chain.of(plan, return_, responses).is_silent:
        return None

    def hit(when: tuple[float, bool]) -> NDArray[np.float32]:
        late_s, is_side = when
        return _hit(plan, return_, at_sample + round(late_s * rate), responses, is_side=is_side)

    with ThreadPoolExecutor() as pool:
        found = list(pool.map(hit, product(_HITS_S, (False, True))))
    outs = np.concatenate([middle_and_side(response) for response in found])
    squares, lines, _ = binned_squares(outs, rate)
    energies = (squares / lines).reshape(len(_HITS_S), 2, 2, -1).mean(axis=0).transpose(1, 0, 2)
    return ChainResponse(energies.astype(np.float32), _envelopes(outs, rate))


def _envelopes(outs: NDArray[np.float32], sample_rate: int) -> NDArray[np.float64]:
    """Return the shares of energy by range and hop, (ranges, hops), for what is fed evenly over a hop."""
    frame = round(HOP_S * sample_rate / _FRAMES)
    padded = np.pad(outs, ((0, 0), (0, -outs.shape[1] % (frame * _FRAMES))))
    spectrum = np.abs(scipy_fft.rfft(padded.reshape(len(outs), -1, frame), axis=2)) ** 2
    owner = np.searchsorted(RANGE_EDGES_HZ, scipy_fft.rfftfreq(frame, 1 / sample_rate), side="right") - 1
    by_frame = np.stack([spectrum[:, :, owner == number].sum(axis=(0, 2)) for number in range(len(RANGE_EDGES_HZ) - 1)])
    late = (np.arange(_FRAMES) + 0.5) / _FRAMES  # of a hop, the share that comes out in the next one
    by_hop = by_frame.reshape(len(by_frame), -1, _FRAMES)
    spread = np.pad(by_hop @ (1 - late), ((0, 0), (0, 1))) + np.pad(by_hop @ late, ((0, 0), (1, 0)))
    envelopes: NDArray[np.float64] = spread / np.maximum(spread.sum(axis=1, keepdims=True), 1e-30)
    return envelopes


def _hit(
    plan: Plan, return_: Return, at_sample: int, responses: Mapping[str, Response], *, is_side: bool
) -> NDArray[np.float32]:
    """Return what comes out, (2, frames), for a hit of 1 on the middle, or on the side."""
    rate = plan.song.sample_rate
    chain = Chain.of(plan, return_, responses)
    seconds = min(max(chain.memory_s * _HEARD_SHARE + chain.longest_gap_s, _SHORTEST_S), _LONGEST_S)
    hit = np.zeros((2, round(seconds * rate)), np.float32)
    hit[:, 0] = _HIT * np.float32(0.5**0.5)
    if is_side:
        hit[1, 0] *= -1
    silence = np.zeros_like(hit)
    out: NDArray[np.float32] = chain.process(hit, at_sample, dict.fromkeys(chain.keys, silence)) / _HIT
    return out
