"""Where a stem sounds and where it stops.

A stretch sounds while the level of 10 ms lies over a threshold between the stem's noise floor and its loud
parts; gaps shorter than a breath are closed, clicks are left out.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

FRAME_S = 0.01
SILENCE_DB = -120.0
_SHORTEST_GAP_S = 0.25
_SHORTEST_PHRASE_S = 0.06
_OVER_FLOOR_DB = 9.0
_UNDER_LOUD_DB = 42.0
_LOUD_FRAMES = 30
_LOWEST_DB = -70.0

Levels = NDArray[np.floating]


@dataclass(frozen=True, slots=True, kw_only=True)
class Phrase:
    """A stretch in which a stem sounds, in seconds from the stem's start."""

    start_s: float
    end_s: float


def with_ends(phrases: Sequence[Phrase], ends: Mapping[float, float]) -> tuple[Phrase, ...]:
    """Return phrases some of which end elsewhere than was found.

    ends: by the end that was found, in seconds to 10 ms, the one that is wanted. It stays inside its phrase and the gap
    after it; what was found at no such end any more is left out.
    """
    limits = [*(phrase.start_s for phrase in phrases[1:]), math.inf][: len(phrases)]
    return tuple(
        replace(phrase, end_s=min(max(wanted, phrase.start_s + _SHORTEST_PHRASE_S), limit))
        if (wanted := ends.get(round(phrase.end_s, 2))) is not None
        else phrase
        for phrase, limit in zip(phrases, limits, strict=True)
    )


def phrase_threshold_db(levels_db: Levels) -> float:
    """Return the level from which a stem is said to sound, from its level every 10 ms in dBFS.

    The noise floor is the 5th percentile of what is not digital silence; loud is what 0.3 s of the stem reach.
    The threshold lies 9 dB over the floor, but never closer than 12 dB to what is loud nor further than 42 dB
    under it, and never under -70 dBFS.
    """
    heard = levels_db[levels_db > SILENCE_DB + 1]
    if not heard.size:
        return 0.0
    floor = float(np.percentile(heard, 5))
    loud = float(np.sort(levels_db)[-min(_LOUD_FRAMES, len(levels_db))])
    return max(min(max(floor + _OVER_FLOOR_DB, loud - _UNDER_LOUD_DB), loud - 12), _LOWEST_DB)


def phrases_over(levels_db: Levels, threshold_db: float) -> tuple[Phrase, ...]:
    """Return where frames of 10 ms lie over a threshold, short gaps closed and clicks left out."""
    sounding = np.concatenate([[False], levels_db > threshold_db, [False]])
    edges = np.flatnonzero(np.diff(sounding.astype(np.int8)))
    phrases: list[Phrase] = []
    for start, end in zip(edges[::2] * FRAME_S, edges[1::2] * FRAME_S, strict=True):
        if phrases and start - phrases[-1].end_s < _SHORTEST_GAP_S:
            phrases[-1] = Phrase(start_s=phrases[-1].start_s, end_s=float(end))
        else:
            phrases.append(Phrase(start_s=float(start), end_s=float(end)))
    return tuple(p for p in phrases if p.end_s - p.start_s >= _SHORTEST_PHRASE_S)
