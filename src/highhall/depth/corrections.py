"""What was measured of a source, as factors on what is predicted: a prediction leaves out phases, and what is not linear."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from highhall.depth.flow import digest
from highhall.depth.measuring import Measured
from highhall.depth.stem_table import Powers
from highhall.plan import Plan

_MOST = 10.0


@dataclass(frozen=True, slots=True, eq=False)
class Correction:
    """Measured over predicted power of one source, by section, the whole song last.

    key: of what was rendered, see `alone_key`. by_return: by return that it reaches. together: of all returns together over
    their sum, which is what they do to each other. is_known: (sections + 1,), where it was measured.
    """

    key: str
    by_return: Mapping[str, Powers]
    together: Powers
    is_known: NDArray[np.bool_]


def alone_key(plan: Plan, track_id: str) -> str:
    """Return a key of all that can be heard of a source that is rendered alone."""
    track = plan.track(track_id)
    returns = {return_.id for return_ in plan.returns}
    heard = {track_id, track.group, *returns}
    sends = tuple(send for send in plan.sends if send.source in heard)
    moves = [move for move in plan.moves if getattr(move.target, "source", track_id) in heard]
    song = replace(plan.song, title="")
    return digest(
        song,
        track,
        [g for g in plan.groups if g.id == track.group or g.id in _outputs(plan)],
        plan.returns,
        sends,
        moves,
    )


def _outputs(plan: Plan) -> set[str]:
    return {return_.output for return_ in plan.returns}


def correction(plan: Plan, track_id: str, predicted: Powers, found: Measured) -> Correction:
    """Return the correction of a source for what is predicted of it, (returns, sections + 1), and what was measured."""
    by_return = {
        return_.id: _over(made, guessed)
        for return_, made, guessed in zip(plan.returns, found.by_return, predicted, strict=True)
        if guessed.any()
    }
    together = _over(found.wet, found.by_return.sum(axis=0))
    return Correction(alone_key(plan, track_id), by_return, together, found.is_known)


def merged(old: Correction | None, new: Correction) -> Correction:
    """Return a correction that knows what a newer one does not from an older one."""
    if old is None:
        return new
    ones = np.ones_like(new.together)
    by_return = {
        key: np.where(new.is_known, new.by_return.get(key, ones), old.by_return.get(key, ones))
        for key in {*old.by_return, *new.by_return}
    }
    is_known = new.is_known | old.is_known if old.key == new.key else new.is_known
    return Correction(new.key, by_return, np.where(new.is_known, new.together, old.together), is_known)


def _over(made: Powers, guessed: Powers) -> Powers:
    """Return a ratio of powers within 10 dB of 1; 1 where there is nothing."""
    is_there = (made > 0) & (guessed > 0)
    ratio = np.divide(made, guessed, out=np.ones_like(made), where=is_there)
    within: Powers = np.clip(ratio, 1 / _MOST, _MOST)
    return within
