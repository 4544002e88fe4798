"""Edits of tracks and groups."""

from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import Unpack

from highhall.plan.edits.basics import checked, id_from_name, replaced, taken_ids, without_lost_targets, without_sends
from highhall.plan.edits.fields import GroupFields, TrackFields
from highhall.plan.model import MAIN, Group, Plan, Track


def add_tracks(plan: Plan, tracks: Sequence[Track], groups: Sequence[Group] = ()) -> Plan:
    """Add tracks after the others, with the groups they need."""
    return checked(replace(plan, groups=(*plan.groups, *groups), tracks=(*plan.tracks, *tracks)))


def set_tracks(plan: Plan, track_ids: Collection[str], **fields: Unpack[TrackFields]) -> Plan:
    """Change fields of tracks: name, group, level_db, pan, mute, start_s, stem."""
    tracks = plan.tracks
    for track_id in track_ids:
        tracks = replaced(tracks, track_id, lambda track: replace(track, **fields))
    return checked(replace(plan, tracks=tracks))


def nudge_levels(plan: Plan, track_ids: Collection[str], by_db: float) -> Plan:
    """Raise tracks' levels by so many dB; what is silent stays silent."""
    tracks = plan.tracks
    for track_id in track_ids:
        level = plan.track(track_id).level_db
        if level is not None:
            raised = level + by_db
            tracks = replaced(tracks, track_id, lambda track, raised=raised: replace(track, level_db=raised))  # type: ignore[misc]
    return checked(replace(plan, tracks=tracks))


def place_tracks(plan: Plan, track_ids: Collection[str], before: str | None) -> Plan:
    """Put tracks, in the order they have, in front of another track, or at the end."""
    moved = [track for track in plan.tracks if track.id in track_ids]
    others = [track for track in plan.tracks if track.id not in track_ids]
    if before in track_ids:  # in front of one of themselves: they gather where that one's next neighbour is
        following = plan.tracks[[track.id for track in plan.tracks].index(str(before)) :]
        before = next((track.id for track in following if track.id not in track_ids), None)
    place = len(others) if before is None else others.index(plan.track(before))
    return checked(replace(plan, tracks=(*others[:place], *moved, *others[place:])))


def remove_tracks(plan: Plan, track_ids: Collection[str]) -> Plan:
    """Remove tracks with their sends and those sends' moves; their stems' files stay."""
    for track_id in track_ids:
        plan.track(track_id)
    remaining = without_sends(plan, lambda source, _: source in track_ids)
    remaining = replace(remaining, tracks=tuple(t for t in plan.tracks if t.id not in track_ids))
    return checked(without_lost_targets(remaining))


def add_group(plan: Plan, name: str, track_ids: Collection[str] = ()) -> Plan:
    """Add a group after the others and put tracks into it."""
    group = Group(id=id_from_name(name, taken_ids(plan)), name=name)
    return set_tracks(replace(plan, groups=(*plan.groups, group)), track_ids, group=group.id)


def add_group_of_returns(plan: Plan, name: str, return_ids: Collection[str]) -> Plan:
    """Add a group after the others and let returns go into it."""
    for return_id in return_ids:
        plan.return_(return_id)
    group = Group(id=id_from_name(name, taken_ids(plan)), name=name)
    returns = tuple(replace(r, output=group.id) if r.id in return_ids else r for r in plan.returns)
    return checked(replace(plan, groups=(*plan.groups, group), returns=returns))


def set_group(plan: Plan, group_id: str, **fields: Unpack[GroupFields]) -> Plan:
    """Change a group's own fields: name, level_db, mute, tone."""
    return checked(replace(plan, groups=replaced(plan.groups, group_id, lambda g: replace(g, **fields))))


def remove_group(plan: Plan, group_id: str) -> Plan:
    """Remove a group with its sends; its tracks and the returns that went into it go to main."""
    plan.group(group_id)
    remaining = without_sends(plan, lambda source, _: source == group_id)
    remaining = replace(
        remaining,
        groups=tuple(g for g in plan.groups if g.id != group_id),
        tracks=tuple(replace(t, group=None) if t.group == group_id else t for t in plan.tracks),
        returns=tuple(replace(r, output=MAIN) if r.output == group_id else r for r in plan.returns),
    )
    return checked(without_lost_targets(remaining))
