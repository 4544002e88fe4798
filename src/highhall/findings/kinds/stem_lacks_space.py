"""A group that would leave its space behind when it is printed as a stem.

Limit: what its tracks make through returns that do not go into it is more than -20 dB of its dry sound: more than is
masked by it. Told only where the song shows that groups are to have their space, since another group has a return
that goes into it.
"""

from collections.abc import Iterator

from highhall.depth.readings import ratio_db
from highhall.findings.finding import NOTE, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import MAIN, Group
from highhall.plan.edits import copy_return, set_return, set_send
from highhall.plan.edits.sends import remove_send
from highhall.wording import figure

LIMIT_DB = -20.0
_STEP_DB = 10.0


def _look(heard: Heard) -> Iterator[Finding]:
    with_own = {return_.output for return_ in heard.plan.returns if return_.output != MAIN}
    if not with_own:
        return
    for group in heard.plan.groups:
        if group.id in with_own or group.mute:
            continue
        outside = _outside(heard, group)
        dry = heard.model.readings[group.id, None].dry_power
        if not outside or not dry:
            continue
        most = max(outside, key=lambda key: outside[key])
        level = ratio_db(sum(outside.values()), dry)
        if level < LIMIT_DB - 0.5 * _STEP_DB:
            continue
        yield Finding(
            kind=KIND.name,
            title=f"{group.name} goes without its space",
            sentence=(
                f"Printed as a stem it leaves {figure(level)} dB of space behind, most of it in the {heard.names[most]}, which goes to "
                f"main. Other groups here have their own."
            ),
            figure=level,
            unit="dB",
            limit=LIMIT_DB,
            excess=(level - LIMIT_DB) / _STEP_DB,
            source=group.id,
            return_id=most,
            evidence=Evidence(
                shape="flow", figures={"here": level, "limit": LIMIT_DB}, names=[group.name, heard.names[most], "Main"]
            ),
        )


def _outside(heard: Heard, group: Group) -> dict[str, float]:
    """Return what a group's tracks make through each return that does not go into it."""
    inside = {return_.id for return_ in heard.plan.returns if return_.output == group.id}
    made = heard.model.readings[group.id, None].by_return
    return {key: power for key, power in made.items() if key not in inside}


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    group, plan = heard.plan.group(finding.source), heard.plan
    tracks = {track.id for track in plan.tracks_in(group.id)}
    outside = _outside(heard, group)
    copied = []
    for return_id in sorted(outside, key=lambda key: -outside[key]):
        sends = [send for send in plan.sends_into(return_id) if send.source in tracks and send.on]
        if not sends:
            continue
        if len(sends) == sum(send.on for send in plan.sends_into(return_id)):  # nobody else is heard in it
            plan = set_return(plan, return_id, output=group.id)
            yield Mending(
                words=f"{heard.names[return_id]} goes into {group.name}", keeps="all its sends stay", plan=plan
            )
            continue
        plan, key = copy_return(plan, return_id)
        plan = set_return(plan, key, output=group.id, name=f"{heard.names[return_id]}, {group.name}"[:60])
        for send in list(plan.sends_into(key)):
            plan = remove_send(plan, send.source, key)
        for send in sends:
            plan = set_send(plan, send.source, key, level_db=send.level_db, send_point=send.send_point, pan=send.pan)
            plan = remove_send(plan, send.source, return_id)
        copied.append(heard.names[return_id])
        yield Mending(
            words=f"A copy of {' and '.join(copied)} into {group.name}",
            keeps="its tracks' sends go there; main stays as it is, but for their moves",
            plan=plan,
        )


KIND = Kind(
    name="stem-lacks-space",
    label="Group without its space",
    looks_at="what every group's tracks make outside of it",
    look=_look,
    mend=_mend,
    most=NOTE,
)
