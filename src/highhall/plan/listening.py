"""Plans that are listened to or looked at, but not kept."""

from collections.abc import Collection
from dataclasses import replace

from highhall.plan.edits.basics import without_sends
from highhall.plan.edits.moves import with_move, with_section_value
from highhall.plan.model import Move, Plan, Return, SendTarget
from highhall.plan.order import reached_returns
from highhall.timing import TimeValue


def only_return(plan: Plan, return_id: str) -> Plan:
    """Return the plan with one return and what its steps listen to: enough to draw it, and quick to check."""
    return_ = plan.return_(return_id)
    listens = any(step.kind == "duck" for step in return_.chain)
    tracks = plan.tracks if listens else ()
    return replace(plan, tracks=tracks, returns=(return_,), sends=(), moves=())


def only_lane(plan: Plan, return_ids: Collection[str]) -> Plan:
    """Return the plan with some returns, what feeds them and their moves: all that can be heard in them, and no more."""
    return replace(
        plan,
        returns=tuple(r for r in plan.returns if r.id in return_ids),
        sends=tuple(s for s in plan.sends if s.target in return_ids),
        moves=tuple(m for m in plan.moves if m.target.target in return_ids),
    )


def only_feed(
    plan: Plan, source: str, target: str, *, section: str | None = None, ramp: TimeValue | None = None
) -> Plan:
    """Return the plan in which one send alone feeds a return, at 0 dB where its level holds and silent where another does.

    Times a gain, that is what a change of this level adds to the return and to those it feeds: of the send's own level,
    or with `section` of the level in that section, reached by `ramp`. It holds as far as their chains are linear, and
    outside of ramps.

    Raises
    ------
    KeyError
        If there is no such send.
    """
    send = plan.send(source, target)
    if send is None:
        raise KeyError((source, target))
    reached = reached_returns(plan, target)
    kept = (s for s in plan.sends if s.source in reached or s.target not in reached)
    plan = replace(plan, sends=(*kept, replace(send, level_db=None if section else 0.0)))
    level = SendTarget(source=source, target=target, param="level_db")
    move = plan.move(level) or Move(target=level)
    silent = tuple(replace(value, value=None) for value in move.sections)
    plan = with_move(plan, Move(target=level, sections=silent))
    return with_section_value(plan, level, section, 0.0, ramp=ramp) if section else plan


def without_tone(plan: Plan, return_id: str) -> Plan:
    """Return the plan in which a return's tone steps are off."""

    def off(return_: Return) -> Return:
        chain = tuple(replace(step, on=False) if step.kind == "tone" else step for step in return_.chain)
        return replace(return_, chain=chain)

    return replace(plan, returns=tuple(off(r) if r.id == return_id else r for r in plan.returns))


def alone(plan: Plan, track_ids: Collection[str]) -> Plan:
    """Return the plan in which only some tracks are heard, with what they feed; all else is as it was."""
    silenced = {track.id for track in plan.tracks if track.id not in track_ids}
    tracks = tuple(replace(track, mute=True) if track.id in silenced else track for track in plan.tracks)
    return replace(without_sends(plan, lambda source, _: source in silenced), tracks=tracks)
