"""A group that was turned down, while the space of its tracks was not.

Limit: 3 dB or more. Sends after a track's fader do not hear the group's, so that the group moves away by as many dB
as it is lowered; 3 dB is half of what is surely heard as another distance.
"""

from collections.abc import Iterator
from dataclasses import replace

from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Group, Send
from highhall.plan.edits import set_group
from highhall.plan.kinds import LEVEL
from highhall.wording import figure

LIMIT_DB = -3.0
_STEP_DB = 3.0
_HEARD_DB = -20.0


def _look(heard: Heard) -> Iterator[Finding]:
    for group in heard.plan.groups:
        if group.mute or group.level_db is None or group.level_db > LIMIT_DB + 0.5 * _STEP_DB:
            continue
        sends = _staying(heard, group)
        if not sends:
            continue
        returns = list(dict.fromkeys(heard.names[send.target] for send in sends))
        yield Finding(
            kind=KIND.name,
            title=f"{group.name} is turned down, its space is not",
            sentence=(
                f"The group stands at {figure(group.level_db)} dB; {len(sends)} sends of its tracks, into {' and '.join(returns)}, do not follow, "
                f"so that it is as many dB wetter."
            ),
            figure=group.level_db,
            unit="dB",
            limit=LIMIT_DB,
            excess=(LIMIT_DB - group.level_db) / _STEP_DB,
            source=group.id,
            evidence=Evidence(
                shape="flow",
                figures={"here": group.level_db, "limit": LIMIT_DB},
                names=[group.name, *returns[:2], "Main"],
            ),
        )


def _staying(heard: Heard, group: Group) -> list[Send]:
    """Return the sends of a group's tracks that are heard and go where the group's fader does not act."""
    tracks = {track.id for track in heard.plan.tracks_in(group.id)}
    outside = {return_.id for return_ in heard.plan.returns if return_.output != group.id}
    return [
        send
        for send in heard.plan.sends
        if send.source in tracks and send.target in outside and send.on and send.level_db is not None
        and heard.share_db(send.source, send.target) > _HEARD_DB
    ]  # fmt: skip


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    group, plan = heard.plan.group(finding.source), heard.plan
    by_db = group.level_db or 0.0
    inside = {return_.id for return_ in plan.returns if return_.output == group.id}
    members = {track.id for track in plan.tracks_in(group.id)}
    tracks = tuple(
        replace(t, level_db=round(max(t.level_db + by_db, LEVEL.low), 2))
        if t.id in members and t.level_db is not None
        else t
        for t in plan.tracks
    )
    sends = tuple(
        replace(s, level_db=round(max(s.level_db + by_db, LEVEL.low), 2))
        if s.source in members and s.target in inside and s.send_point == "pre" and s.level_db is not None
        else s
        for s in plan.sends
    )
    # turned down before their sends, tracks take their space along
    plan = set_group(replace(plan, tracks=tracks, sends=sends), group.id, level_db=0.0)
    yield Mending(
        words=f"{group.name} to 0 dB, its tracks {figure(by_db)} dB",
        keeps="dry it stays as loud; its space follows, so that its depth is that from before",
        plan=plan,
    )


KIND = Kind(
    name="group-lowered-space-stays",
    label="Group down, space not",
    looks_at="groups that are turned down, and their tracks' sends",
    look=_look,
    mend=_mend,
    least=LOOK,
    most=LOOK,
)
