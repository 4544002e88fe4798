"""Which returns are spaces, and which of them suit a distance."""

import math
from collections.abc import Sequence

from highhall.plan import Plan, Return

SPACE_KINDS = frozenset({"reverb", "impulse"})

_NEAR_M, _NEAR_DECAY_S = 2.0, 0.6
_LONGER_BY_DISTANCE = 1.1
_RESPONSE_DECAY_S = 1.5
"""What an impulse response is taken for: its decay stands in the recording."""


def is_space(return_: Return) -> bool:
    """Whether a return has a reverb or an impulse response that is on."""
    return any(effect.on and effect.kind in SPACE_KINDS for effect in return_.chain)


def decay_s(return_: Return) -> float:
    """Return the decay of a space in seconds: the longest of its reverbs'."""
    reverbs = (effect for effect in return_.chain if effect.on and effect.kind == "reverb")
    decays: list[float] = [effect.number("decay_s") for effect in reverbs]
    return max(decays, default=_RESPONSE_DECAY_S)


def suiting_decay_s(distance_m: float) -> float:
    """Return the decay that suits a distance: 0.6 s at 2 m, and nearly in proportion to it: far is late and long."""
    longer: float = (distance_m / _NEAR_M) ** _LONGER_BY_DISTANCE
    return _NEAR_DECAY_S * longer


def suiting_spaces(plan: Plan, distance_m: float) -> list[tuple[Return, float]]:
    """Return the spaces for a source at a distance, with their shares of the wet power, which sum to 1.

    The two whose decays lie around the one that suits, shared by how near to it they are, so that nothing jumps when the
    distance changes; beyond the shortest or the longest that one alone.
    """
    spaces: Sequence[Return] = sorted((r for r in plan.returns if is_space(r) and not r.mute), key=decay_s)
    if not spaces:
        return []
    wanted = suiting_decay_s(distance_m)
    longer = next((number for number, space in enumerate(spaces) if decay_s(space) >= wanted), len(spaces))
    if longer in (0, len(spaces)):
        return [(spaces[0 if longer == 0 else -1], 1.0)]
    short, long = spaces[longer - 1], spaces[longer]
    span = math.log(decay_s(long) / decay_s(short))
    share = math.log(wanted / decay_s(short)) / span
    return [(space, part) for space, part in ((short, 1 - share), (long, share)) if part > 0]
