"""What a phrase leaves ringing in a return when the next phrase of its source begins."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from highhall.depth.model import DepthModel
from highhall.depth.readings import ratio_db
from highhall.measure import Phrase
from highhall.measure.loudness import HOP_S

LOWEST_DB = -60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Spill:
    """One return after one phrase of one track.

    end_s, next_s: where the phrase ends and the next one begins, in seconds of the song. level_db: the K-weighted power of the
    tail in the 100 ms before the next phrase begins, over the mean dry power of that phrase; at least -60,
    which also stands for tails of which the model keeps nothing any more (from about -57 dB on).
    """

    source: str
    return_id: str
    end_s: float
    next_s: float
    level_db: float


def spills_of(model: DepthModel, track_id: str, phrases: Sequence[Phrase]) -> list[Spill]:
    """Return the spills of a track after each of its phrases but the last, by time and return.

    phrases: in seconds of the song. As the depth model predicts them: powers add up, phases do not.
    """
    pairs = [(before.end_s, after) for before, after in pairwise(phrases) if after.start_s - before.end_s > HOP_S]
    if not pairs:
        return []
    dry = model.power_of(track_id)
    tails = model.tails_of(track_id, [(end_s, after.start_s) for end_s, after in pairs])
    found = []
    for number, (end_s, after) in enumerate(pairs):
        first = min(int(after.start_s / HOP_S), len(dry) - 1)
        last = max(math.ceil(after.end_s / HOP_S), first + 1)
        phrase = float(dry[first:last].mean())
        for return_id, series in tails.items():
            tail = float(series[number][:, -1].sum())
            if phrase > 0:
                level_db = max(ratio_db(tail, phrase), LOWEST_DB)
                found.append(
                    Spill(source=track_id, return_id=return_id, end_s=end_s, next_s=after.start_s, level_db=level_db)
                )
    return found
