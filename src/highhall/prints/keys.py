"""What a printed part depends on: two parts with one key sound the same, whatever else was edited."""

import hashlib
import json
from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any

from highhall.plan import MAIN, Plan, document_of
from highhall.plan.isolation import only_lane, share_of
from highhall.plan.order import feeding_returns
from highhall.plan.references import files_of
from highhall.prints.parts import Part
from highhall.render.segments import ENGINE_VERSION

_UNHEARD = {"name", "title"}


def part_key(plan: Plan, part: Part, hashes: Mapping[str, str]) -> str:
    """Return the key of a part. hashes: content hash by path of every stem and impulse response.

    Names and titles are no part of it; ids are, since they say what feeds what.
    """
    heard = _heard(plan, part)
    files = [(path, hashes.get(path, "")) for path in files_of(heard)]
    facts = [part.kind, _plain(document_of(heard)), files]
    return hashlib.sha256(json.dumps([ENGINE_VERSION, *facts], sort_keys=True).encode()).hexdigest()


def _heard(plan: Plan, part: Part) -> Plan:
    """Return the plan with nothing in it that cannot be heard in a part; sections only where something moves by them."""
    match part.kind:
        case "dry":
            found = replace(plan, returns=(), sends=(), moves=(), depth=None)
        case "returns":
            found = only_lane(plan, feeding_returns(plan, part.id))
            found = _with_sources(found, {send.source for send in found.sends})
        case "groups":
            inside = {return_.id for return_ in plan.returns if return_.output == part.id}
            reaching = set().union(*(feeding_returns(plan, return_id) for return_id in inside))
            found = only_lane(plan, reaching)
            found = _with_sources(found, {part.id, *(send.source for send in found.sends)})
        case "tracks":
            found = share_of(plan, part.id)
        case _:
            found = replace(plan, depth=None)
    return found if found.moves else replace(found, song=replace(found.song, sections=()))


def _with_sources(plan: Plan, sources: Collection[str]) -> Plan:
    """Return the plan with the tracks that are heard by themselves, through their group, or by effects that listen."""
    listened = {effect.source for return_ in plan.returns for effect in return_.chain if effect.source}
    wanted = {*sources, *listened}
    tracks = tuple(track for track in plan.tracks if track.id in wanted or track.group in wanted)
    outputs = {return_.output for return_ in plan.returns} - {MAIN}
    groups = {track.group for track in tracks} | outputs | wanted
    return replace(plan, tracks=tracks, groups=tuple(group for group in plan.groups if group.id in groups))


def _plain(value: Any) -> Any:  # noqa: ANN401 - JSON is any value
    if isinstance(value, dict):
        return {key: _plain(each) for key, each in value.items() if key not in _UNHEARD}
    return [_plain(each) for each in value] if isinstance(value, list) else value
