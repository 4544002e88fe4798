"""Routes: the ways of what is sent into a return to main, through the returns that feed each other.

What a route does by frequency is worked out backwards, from main: how much power is heard there, K-weighted, for a power of
1 in the middle or in the side at its entry. Levels are left out: they act in time, and are kept as stages.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.curves import Curve, gain_of_db
from highhall.depth.responses import ChainResponse
from highhall.depth.spectra import bin_centres_hz, k_weights
from highhall.effects.panning import side_gains
from highhall.effects.tone import response_db
from highhall.measure.loudness import HOP_S
from highhall.plan import MAIN, Group, Plan, Send, SendTarget
from highhall.render.engine import return_fader, send_fader, width_curve

_POINTS = 8
"""How often a moving level is read in a hop of 100 ms."""

Mixing = NDArray[np.float64]
"""(2, 2), how much of the power of middle and side in goes out as middle and side."""


@dataclass(frozen=True, slots=True)
class Route:
    """The returns of a route, the one that is entered first, and the sends between them."""

    returns: tuple[str, ...]
    links: tuple[Send, ...] = ()


def routes_of(plan: Plan) -> list[Route]:
    """Return every route of a plan, the shortest of each entry first."""
    returns = {return_.id for return_ in plan.returns}
    links = [send for send in plan.sends if send.source in returns]
    return [route for return_ in plan.returns for route in _onward(Route((return_.id,)), links)]


def _onward(route: Route, links: Sequence[Send]) -> Iterator[Route]:
    yield route
    for link in links:
        if link.source == route.returns[-1]:
            yield from _onward(Route((*route.returns, link.target), (*route.links, link)), links)


def mixing(left: float, right: float) -> Mixing:
    """Return what two factors for left and right make of the powers of middle and side."""
    kept, crossed = ((left + right) / 2) ** 2, ((left - right) / 2) ** 2
    return np.array([[kept, crossed], [crossed, kept]])


def pan_mixing(pan: float) -> Mixing:
    """Return what a pan makes of the powers of middle and side."""
    left, right = side_gains(pan)
    return mixing(float(left), float(right))


def send_target(send: Send, param: str) -> SendTarget:
    """Return what a move of a send's parameter is aimed at."""
    return SendTarget(source=send.source, target=send.target, param=param)


def send_levels(plan: Plan, send: Send, hops: int) -> NDArray[np.float64]:
    """Return the power gain of a send in every hop of 100 ms, without its pan, (hops,)."""
    level, switch, _ = send_fader(plan, send).curves
    return _powers(plan, level, switch, hops)


def return_levels(plan: Plan, return_id: str, hops: int) -> NDArray[np.float64]:
    """Return the power gain of a return's fader in every hop of 100 ms, without its pan, (hops,)."""
    level, mute, _ = return_fader(plan, plan.return_(return_id)).curves
    return _powers(plan, level, mute, hops)


def _powers(plan: Plan, level: Curve, switch: Curve, hops: int) -> NDArray[np.float64]:
    if level.constant is not None and switch.constant is not None:
        return np.full(hops, (level.constant * switch.constant) ** 2)
    hop = HOP_S * plan.song.sample_rate
    samples = (np.arange(hops * _POINTS, dtype=np.float64) + 0.5) * (hop / _POINTS)
    gains: NDArray[np.float64] = level.drawn_at(samples) * switch.drawn_at(samples)
    powers: NDArray[np.float64] = np.mean(gains.reshape(hops, _POINTS) ** 2, axis=1)
    return powers


def group_power(group: Group | None, sample_rate: int) -> NDArray[np.float64] | float:
    """Return the power gain of a group's tone and fader by bin; 1 for main."""
    if group is None:
        return 1.0
    if group.mute:
        return 0.0
    powers: NDArray[np.float64] = 10 ** (response_db(group.tone, bin_centres_hz(sample_rate), sample_rate) / 10)
    return powers * gain_of_db(group.level_db) ** 2


def route_weights(plan: Plan, route: Route, chains: Sequence[ChainResponse], at_sample: int) -> NDArray[np.float32]:
    """Return the power that is heard at main, K-weighted, for 1 in the middle or the side at a route's entry, (2, bins).

    Parameters
    ----------
    chains: the responses of its returns. at_sample: where in the song what moves is read, levels apart.
    """
    rate = plan.song.sample_rate
    output = plan.return_(route.returns[-1]).output
    heard = k_weights(rate) * group_power(None if output == MAIN else plan.group(output), rate)
    weights = np.stack([heard, heard])
    weights = _before_fader(plan, route.returns[-1], weights, at_sample)
    for number in range(len(chains) - 1, -1, -1):
        weights = np.einsum("oif,of->if", chains[number].energies, weights)
        if number == 0:
            break
        link = route.links[number - 1]
        _, _, pan = send_fader(plan, link).curves
        weights = pan_mixing(pan.at(at_sample)).T @ weights
        if link.send_point == "post":
            weights = _before_fader(plan, link.source, weights, at_sample)
    return weights.astype(np.float32)


def _before_fader(plan: Plan, return_id: str, weights: NDArray[np.float64], at_sample: int) -> NDArray[np.float64]:
    """Return the weights before a return's width and pan, for those behind them."""
    return_ = plan.return_(return_id)
    _, _, pan = return_fader(plan, return_).curves
    width = width_curve(plan, return_).at(at_sample)
    panned: NDArray[np.float64] = pan_mixing(pan.at(at_sample)).T @ weights
    panned[1] *= width * width
    return panned
