"""A group whose members stand side by side in rooms of different size.

Limit: the main spaces of two members differ by more than twice in decay, while their distances are within half as far
again of each other, and neither is heard in the other's within 6 dB of its own. At one place two decays contradict
each other; at different distances a longer one behind is how depth is made, and who is in both rooms is in one.
"""

from collections.abc import Iterator
from itertools import combinations
from math import log10

from highhall.depth.spaces import decay_s
from highhall.errors import CoreError
from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Group, Plan
from highhall.plan.edits import checked
from highhall.plan.edits.many_sends import send_level
from highhall.plan.edits.sends import remove_send, set_send
from highhall.wording import figure, seconds_in_words

LIMIT = 2.0
_STEP = 1.0
_NEAR = 1.5
_SHARED_DB = 6.0


def _look(heard: Heard) -> Iterator[Finding]:
    decays = {return_.id: decay_s(return_) for return_ in heard.spaces}
    for group in heard.plan.groups:
        mains = _main_spaces(heard, group)
        found = []
        for one, other in combinations(mains, 2):
            metres = [heard.model.distance_m(key, None) or 0.0 for key in (one, other)]
            is_shared = any(_shares(heard, key, mains[key], mains[mate]) for key, mate in ((one, other), (other, one)))
            if min(metres) > 0 and max(metres) / min(metres) <= _NEAR and not is_shared:
                short, long = sorted((one, other), key=lambda key: decays[mains[key]])
                found.append((decays[mains[long]] / decays[mains[short]], short, long))
        if not found:
            continue
        ratio, short, long = max(found)
        if ratio < LIMIT - 0.5 * _STEP:
            continue
        words = [
            f"{heard.names[key]} in the {heard.names[mains[key]]} ({seconds_in_words(decays[mains[key]])})"
            for key in (short, long)
        ]
        yield Finding(
            kind=KIND.name,
            title=f"{group.name} stands in two rooms",
            sentence=f"At about one distance, {words[0]} and {words[1]}: decays that differ {figure(ratio)} times. Over twice, one place sounds like two.",
            figure=ratio,
            unit="times",
            limit=LIMIT,
            excess=(ratio - LIMIT) / _STEP,
            source=group.id,
            evidence=Evidence(
                shape="flow",
                figures={"here": ratio, "limit": LIMIT},
                names=[heard.names[short], heard.names[mains[short]], heard.names[long], heard.names[mains[long]]],
            ),
        )


def _shares(heard: Heard, track: str, own: str, other: str) -> bool:
    """Whether a track is heard in another space within 6 dB of its own."""
    return heard.share_db(track, other) > heard.share_db(track, own) - _SHARED_DB


def _main_spaces(heard: Heard, group: Group) -> dict[str, str]:
    """Return by member the space that it is heard in most."""
    spaces = {return_.id for return_ in heard.spaces}
    found = {}
    for track in heard.plan.tracks_in(group.id):
        made = {key: power for key, power in heard.model.readings[track.id, None].by_return.items() if key in spaces}
        if made and heard.wet_db(track.id, None) is not None:
            found[track.id] = max(made, key=lambda key: made[key])
    return found


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    group = heard.plan.group(finding.source)
    mains = _main_spaces(heard, group)
    counts = {space: list(mains.values()).count(space) for space in mains.values()}
    for space in sorted(counts, key=lambda key: -counts[key]):
        plan, moved = heard.plan, []
        try:
            for track, own in mains.items():
                if own != space and plan.send(track, own) is not None:
                    plan = _moved(heard, plan, track, own, space)
                    moved.append(heard.names[track])
        except CoreError:
            continue
        if moved:
            yield Mending(
                words=f"{' and '.join(moved)} into the {heard.names[space]}",
                keeps="as wet as they are; other sends stay",
                plan=checked(plan),
            )


def _moved(heard: Heard, plan: Plan, track: str, own: str, space: str) -> Plan:
    """Return the plan with a track's send into its own space put into another one, as wet as it is there."""
    before = send_level(plan, (track, own))
    after = send_level(plan, (track, space)) if plan.send(track, space) else None
    there = set_send(plan, track, space, level_db=0.0, on=True)
    unit = heard.model.edited(there).readings[track, None].by_return.get(space, 0.0)
    wanted = heard.model.readings[track, None].by_return.get(own, 0.0)
    if not isinstance(before, (int, float)) or unit <= 0 or wanted <= 0:
        raise CoreError("nothing to put into another space")
    kept = 10 ** (after / 10) if isinstance(after, (int, float)) else 0.0
    level = 10 * log10(kept + wanted / unit)
    return set_send(
        remove_send(plan, track, own), track, space, level_db=round(min(max(level, -60.0), 6.0), 1), on=True
    )


KIND = Kind(
    name="group-in-two-rooms",
    label="One group, two rooms",
    looks_at="the main spaces of every group's members",
    look=_look,
    mend=_mend,
    most=LOOK,
)
