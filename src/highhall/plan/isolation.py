"""Plans that are listened to or looked at, but not kept."""

from collections.abc import Collection
from dataclasses import replace
from typing import Any

from highhall.plan.edits.basics import replaced, without_sends
from highhall.plan.edits.moves import with_move, with_section_value
from highhall.plan.model import MAIN, Group, Move, Plan, Return, ReturnTarget, Send, SendTarget
from highhall.plan.order import feeding_returns, reached_returns
from highhall.timing import TimeValue


def only_return(plan: Plan, return_id: str) -> Plan:
    """Return the plan with one return and what its effects listen to: enough to draw it, and quick to check."""
    return_ = plan.return_(return_id)
    listens = any(effect.source for effect in return_.chain)
    tracks = plan.tracks if listens else ()
    return replace(plan, tracks=tracks, returns=(return_,), sends=(), moves=())


def only_lane(plan: Plan, return_ids: Collection[str]) -> Plan:
    """Return the plan with some returns, what feeds them and their moves: all that can be heard in them, and no more."""
    return replace(
        plan,
        returns=tuple(r for r in plan.returns if r.id in return_ids),
        sends=tuple(s for s in plan.sends if s.target in return_ids),
        moves=tuple(m for m in plan.moves if m.target.target in return_ids),
        depth=None,
    )


def still_fader(plan: Plan, return_id: str) -> dict[str, Any]:
    """Return what of a return's own fader no move changes: its level, mute and pan by field."""
    moved = {m.target.param for m in plan.moves if isinstance(m.target, ReturnTarget) and m.target.target == return_id}
    return_ = plan.return_(return_id)
    return {name: getattr(return_, name) for name in ("level_db", "mute", "pan") if name not in moved}


def still_group(plan: Plan, return_id: str) -> Group | None:
    """Return the group that a return goes out to, if its fader is heard in nothing else of the return's lane."""
    output = plan.return_(return_id).output
    reaching = feeding_returns(plan, return_id)
    heard = {send.source for send in plan.sends if send.target in reaching}
    heard |= {effect.source for r in plan.returns if r.id in reaching for effect in r.chain if effect.source}
    inside = {output, *(track.id for track in plan.tracks_in(output))}
    return None if output == MAIN or heard & inside else plan.group(output)


def at_unity(plan: Plan, return_id: str) -> Plan:
    """Return the plan in which what `still_fader` gives stands at 0 dB, open, in the centre; its `still_group` too.

    The lane of the return is kept as it sounds so, and its fader is a gain that can be changed while it plays.
    """
    opened = {"level_db": 0.0, "mute": False, "pan": 0.0}
    still: dict[str, Any] = {name: opened[name] for name in still_fader(plan, return_id)}
    group = still_group(plan, return_id)
    if group is not None:
        plan = replace(plan, groups=replaced(plan.groups, group.id, lambda g: replace(g, level_db=0.0, mute=False)))
    return replace(plan, returns=replaced(plan.returns, return_id, lambda return_: replace(return_, **still)))


def only_fed(plan: Plan, return_id: str) -> Plan:
    """Return the plan in which a return has no effects, and nothing of its own: of its lane what it is fed is left."""
    return replace(
        plan,
        returns=replaced(plan.returns, return_id, lambda return_: Return(id=return_.id, name=return_.name)),
        moves=tuple(m for m in plan.moves if isinstance(m.target, SendTarget) or m.target.target != return_id),
    )


def differing_sends(old: Plan, new: Plan, return_id: str) -> tuple[Plan, Plan] | None:
    """Return both plans with only those sends into a return in which they differ, and what feeds them.

    None if they differ in anything else, in nothing, or in so much that the differences are most of what the return is fed.
    """
    before, after = ({s.source: _with_moves(plan, s) for s in plan.sends_into(return_id)} for plan in (old, new))
    sources = {source for source in before.keys() | after.keys() if before.get(source) != after.get(source)}

    def is_differing(source: str, target: str) -> bool:
        return target == return_id and source in sources

    if not 0 < 2 * len(sources) <= len(before) or without_sends(old, is_differing) != without_sends(new, is_differing):
        return None

    def alone(plan: Plan) -> Plan:
        plan = without_sends(plan, lambda source, target: target == return_id and source not in sources)
        return only_lane(plan, feeding_returns(plan, return_id))

    return alone(old), alone(new)


def _with_moves(plan: Plan, send: Send) -> tuple[Send, tuple[Move, ...]]:
    ends = (send.source, send.target)
    moves = (m for m in plan.moves if isinstance(m.target, SendTarget) and (m.target.source, m.target.target) == ends)
    return send, tuple(moves)


def only_feed(
    plan: Plan,
    source: str,
    target: str,
    *,
    pan: float | None = None,
    section: str | None = None,
    ramp: TimeValue | None = None,
) -> Plan:
    """Return a plan in which the return is fed by this one send and nothing else, at 0 dB.

    While the user drags the send's level from `old` to `new`, the browser plays the sound of this plan at the gain
    `new - old` beside the sound of the plan as it is. The sum is the sound of the edited plan, as far as the chains that
    the send passes are linear, and outside of ramps.

    section, ramp: for a level that holds in one section; the send is silent in the other sections. pan: for a change of
    pan; the send keeps its level and is panned there.

    Raises
    ------
    KeyError
        If there is no such send.
    """
    send = plan.send(source, target)
    if send is None:
        raise KeyError((source, target))
    plan = _fed_only_by(plan, reached_returns(plan, target), {(source, target)})
    others = (s for s in plan.sends if (s.source, s.target) != (source, target))
    if pan is not None:
        return replace(plan, sends=(*others, replace(send, pan=pan)))
    level = SendTarget(source=source, target=target, param="level_db")
    plan = replace(plan, sends=(*others, replace(send, level_db=None if section else 0.0)))
    return _silent_elsewhere(plan, level, section, ramp)


def _fed_only_by(plan: Plan, returns: Collection[str], pairs: Collection[tuple[str, str]]) -> Plan:
    """Return the plan in which some returns are fed by each other, and else only by the sends of (source, target)."""

    def is_cut(source: str, target: str) -> bool:
        return target in returns and source not in returns and (source, target) not in pairs

    return without_sends(plan, is_cut)


def _silent_elsewhere(
    plan: Plan, level: SendTarget | ReturnTarget, section: str | None, ramp: TimeValue | None
) -> Plan:
    """Return the plan in which a level is silent in sections that have one of their own, but in `section` at 0 dB."""
    move = plan.move(level) or Move(target=level)
    silent = tuple(replace(value, value=None) for value in move.sections)
    plan = with_move(plan, Move(target=level, sections=silent))
    return with_section_value(plan, level, section, 0.0, ramp=ramp) if section else plan


def only_track(plan: Plan, track_id: str, *, pan: float | None = None) -> Plan:
    """Return a plan in which one track alone sounds, dry and through its post-fader sends, at 0 dB or at a pan.

    The browser plays it while the track's level or pan is dragged; see `only_feed`.
    """
    before = {(send.source, send.target) for send in plan.sends if send.source == track_id and send.send_point == "pre"}
    plan = without_sends(alone(plan, {track_id}), lambda *pair: pair in before)
    held = {"level_db": 0.0} if pan is None else {"pan": pan}
    return replace(plan, tracks=replaced(plan.tracks, track_id, lambda track: replace(track, **held)))  # type: ignore[arg-type]


def only_source(plan: Plan, source_id: str, *, pan: float | None = None) -> Plan:
    """Return a plan in which one track or group alone sounds, dry, without its own mute, at 0 dB or a track at a pan.

    Times the change of its gain it is what an edit of its level, mute or pan adds to the dry sound.
    """
    held: dict[str, Any] = {"mute": False, **({"level_db": 0.0} if pan is None else {"pan": pan})}
    if any(group.id == source_id for group in plan.groups):
        plan = replace(plan, groups=replaced(plan.groups, source_id, lambda group: replace(group, **held)))
        tracks = tuple(plan.tracks_in(source_id))
    else:
        tracks = (replace(plan.track(source_id), **held),)
    heard = {track.group for track in tracks}
    groups = tuple(group for group in plan.groups if group.id in heard)
    return replace(plan, tracks=tracks, groups=groups, returns=(), sends=(), moves=())


def only_output(
    plan: Plan,
    return_id: str,
    *,
    pan: float | None = None,
    section: str | None = None,
    ramp: TimeValue | None = None,
) -> Plan:
    """Return a plan in which a return's output, at 0 dB or at a pan, is all that feeds the returns it is sent to.

    The browser plays it while the return's level or pan is dragged; see `only_feed`, also for `section` and `ramp`.
    """
    fed = reached_returns(plan, return_id) - {return_id}
    behind = {
        (send.source, send.target) for send in plan.sends if send.source == return_id and send.send_point == "post"
    }
    plan = _fed_only_by(plan, fed, behind)
    if pan is not None:
        return replace(plan, returns=replaced(plan.returns, return_id, lambda return_: replace(return_, pan=pan)))
    own = None if section else 0.0
    plan = replace(plan, returns=replaced(plan.returns, return_id, lambda return_: replace(return_, level_db=own)))
    return _silent_elsewhere(plan, ReturnTarget(target=return_id, param="level_db"), section, ramp)


def without_tone(plan: Plan, return_id: str) -> Plan:
    """Return the plan in which a return's tone effects are off."""

    def off(return_: Return) -> Return:
        chain = tuple(replace(effect, on=False) if effect.table.filters else effect for effect in return_.chain)
        return replace(return_, chain=chain)

    return replace(plan, returns=tuple(off(r) if r.id == return_id else r for r in plan.returns))


def returns_of(plan: Plan, track_id: str) -> frozenset[str]:
    """Return the ids of the returns that hear a track, by its own sends, its group's, or through other returns."""
    sources = {track_id, plan.track(track_id).group}
    first = {send.target for send in plan.sends if send.source in sources}
    return frozenset().union(*(reached_returns(plan, return_id) for return_id in first))


def share_of(plan: Plan, track_id: str) -> Plan:
    """Return the plan of one track with its own share of every space: what main holds of it, where all on its way is linear."""
    reached = returns_of(plan, track_id)
    heard = {track_id, plan.track(track_id).group, *reached}
    listened = {effect.source for r in plan.returns if r.id in reached for effect in r.chain if effect.source}
    only = alone(plan, {track_id})
    return replace(
        only,
        tracks=tuple(track for track in only.tracks if track.id == track_id or {track.id, track.group} & listened),
        groups=tuple(group for group in only.groups if group.id in heard | listened | _outputs(only, reached)),
        returns=tuple(return_ for return_ in only.returns if return_.id in reached),
        sends=tuple(send for send in only.sends if send.target in reached and send.source in heard),
        moves=tuple(
            move for move in only.moves if move.target.target in reached and _source_of(move) in {None, *heard}
        ),
        depth=None,
    )


def _outputs(plan: Plan, returns: Collection[str]) -> set[str]:
    return {return_.output for return_ in plan.returns if return_.id in returns}


def _source_of(move: Move) -> str | None:
    return move.target.source if isinstance(move.target, SendTarget) else None


def alone(plan: Plan, track_ids: Collection[str]) -> Plan:
    """Return the plan in which only some tracks are heard, with what they feed; all else is as it was."""
    silenced = {track.id for track in plan.tracks if track.id not in track_ids}
    tracks = tuple(replace(track, mute=True) if track.id in silenced else track for track in plan.tracks)
    return replace(without_sends(plan, lambda source, _: source in silenced), tracks=tracks)
