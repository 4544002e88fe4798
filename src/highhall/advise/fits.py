"""Which decay fits: the longest whose tail has fallen far enough by the next beat, backbeat, bar or phrase.

A tail falls in a straight line of 60 dB in its decay time (ISO 3382-1), that of its slowest octave here, and starts
after its pre-delay and the last repeat of an echo before it.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from highhall.measure import Phrase
from highhall.measure.predictions import decays_of, last_repeat_s
from highhall.plan import Return, Song
from highhall.plan.kinds import KINDS
from highhall.timing import Position

_SHARE_OF_GAPS = 0.25


@dataclass(frozen=True, slots=True, kw_only=True)
class DecayFit:
    """The longest decay that is down in time for an event `seconds` after a hit; None if none is."""

    event: str
    seconds: float
    decay_s: float | None


def gap_left_s(phrases: Sequence[Phrase]) -> float | None:
    """Return the gap that three of four phrases leave before the next one, in seconds; None for fewer than two."""
    gaps = [after.start_s - before.end_s for before, after in pairwise(phrases)]
    return float(np.quantile(gaps, _SHARE_OF_GAPS)) if gaps else None


def longest_decays(
    return_: Return, song: Song, at: Position, level_db: float, gap_s: float | None = None
) -> list[DecayFit]:
    """Return what fits by the next beat, backbeat, bar and phrase after a hit on a bar line at `at`.

    level_db: below 0, where the tail has to be. gap_s: how long until the next phrase, if known. The list is empty for a
    return without a space.
    """
    effect = next((s for s in return_.chain if s.on and s.kind == "reverb"), None)
    if effect is None:
        return []
    time = song.time
    beat_s = time.seconds_of(song.tempo_at(at).beat, at)
    bar_line = Position(at.bar + 1)
    events = [
        ("beat", beat_s),
        ("backbeat", 2 * beat_s),
        ("bar", time.seconds_at(bar_line) - time.seconds_at(Position(at.bar))),
    ]
    if gap_s is not None:
        events.append(("phrase", gap_s))
    slowest = max(seconds for _, seconds in decays_of(effect, song.sample_rate)) / effect.number("decay_s")
    start_s = time.seconds_of(effect.time("pre_delay"), at) + last_repeat_s(return_, song, at, level_db)
    limits = KINDS["reverb"].parameter("decay_s")

    def fitting(seconds: float) -> float | None:
        decay_s = (seconds - start_s) * 60 / -level_db / slowest
        return min(decay_s, limits.high) if decay_s >= limits.low else None

    return [DecayFit(event=event, seconds=seconds, decay_s=fitting(seconds)) for event, seconds in events]
