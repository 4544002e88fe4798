"""The spaces of a proposed hall, drawn over beats: how long each rings, and what that clears."""

from collections.abc import Iterator
from dataclasses import dataclass

from hallweb.analysis.stems import gap_into
from hallweb.screens.common.charts import Style, styles
from highhall.depth.spaces import is_space
from highhall.measure.predictions import tail_end_s
from highhall.plan import Plan, Return
from highhall.timing import Position
from highhall.wording import figure, seconds_in_words

BEAT_PX = 56.0
BEATS = 4
_HEARD_DB = -30.0
"""How far a tail has to be down so that what comes next stands clear of it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Floor:
    """A space: its summary, where its tail begins and ends in pixels, and what it clears.

    is_cut: whether it ends beyond what is drawn. gap_x: where three of four phrases of what feeds it most go on, if that is in sight.
    """

    name: str
    style: Style
    summary: str
    is_built: bool
    start_x: float
    end_x: float
    is_cut: bool
    gap_x: float | None
    verdict: str


def floors_of(song_id: int, plan: Plan, built: tuple[str, ...]) -> Iterator[Floor]:
    """Yield the spaces of a plan; `built` names those that are new."""
    beat_s = plan.song.time.seconds_of(plan.song.tempos[0].beat, Position(1))
    styled = styles(plan.returns)
    for return_ in plan.returns:
        if is_space(return_):
            end_s = tail_end_s(return_, plan.song, Position(1), _HEARD_DB)
            _, gap_s = gap_into(song_id, plan, return_.id)
            width = BEAT_PX * BEATS
            gap_x = None if gap_s is None else BEAT_PX * gap_s / beat_s
            yield Floor(
                name=return_.name,
                style=styled[return_.id],
                summary=next(iter(return_.chain)).summary,
                is_built=return_.id in built,
                start_x=min(BEAT_PX * _pre_delay_s(plan, return_) / beat_s, width),
                end_x=min(BEAT_PX * end_s / beat_s, width),
                is_cut=BEAT_PX * end_s / beat_s > width,
                gap_x=gap_x if gap_x is not None and gap_x < width else None,
                verdict=_verdict(end_s, beat_s, gap_s),
            )


def _pre_delay_s(plan: Plan, return_: Return) -> float:
    reverb = next((effect for effect in return_.chain if effect.on and effect.kind == "reverb"), None)
    return plan.song.time.seconds_of(reverb.time("pre_delay"), Position(1)) if reverb else 0.0


def _verdict(end_s: float, beat_s: float, gap_s: float | None) -> str:
    """Return what a tail that is down after so many seconds clears."""
    down = f"{figure(-_HEARD_DB, 0)} dB down"
    for event, seconds in (("beat", beat_s), ("backbeat", 2 * beat_s)):
        if end_s <= seconds:
            return f"{down} {figure((seconds - end_s) / beat_s)} beat before the next {event}"
    if gap_s is None:
        return f"{down} after {figure(end_s / beat_s)} beats"
    where = "inside" if end_s <= gap_s else "longer than"
    return f"{down} after {seconds_in_words(end_s)}, {where} the gap of {seconds_in_words(gap_s)} that three of four phrases leave"
