"""What the Returns screen shows: the strips of its returns, its groups, and how all of it is connected."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from django.http import HttpRequest

from hallweb.inputs import inputs
from hallweb.screens.common.charts import feed_bars, styles
from hallweb.screens.common.context import play_position
from hallweb.screens.common.level_scale import share_of_scale
from hallweb.screens.common.starting_points import STARTS, by_kind
from hallweb.screens.returns.drawers import DRAWERS, drawer_context
from hallweb.screens.returns.fields import FieldContext, filter_group, group_level, panels
from hallweb.screens.returns.flow import flow_picture
from hallweb.screens.returns.time_axis import FIRST, SPANS, TimeAxis
from hallweb.screens.returns.time_pictures import time_picture
from hallweb.screens.returns.tone_pictures import LARGE, SMALL, filters_of, tone_picture
from hallweb.songs.actions import SongState
from hallweb.songs.responses import response_choices
from highhall.plan import Group, Plan, Return, Song
from highhall.plan.kinds import KINDS, SHAPES
from highhall.plan.starting_points import STARTING_POINTS
from highhall.timing import Position
from highhall.wording import Form, figure

Errors = Mapping[str, tuple[str, str]]
NO_ERRORS: Errors = {}


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnsState:
    """What the Returns screen shows: the open return, its open drawer, the span in beats, and the place in the song."""

    open_key: str = ""
    drawer: str = ""
    beats: int = 4
    at: Position = FIRST
    section: str = ""
    linked: bool | None = None
    panel: str = ""

    @classmethod
    def of(cls, request: HttpRequest, song: Song, open_key: str) -> "ReturnsState":
        """Read it from a request; what makes no sense is left out."""
        values = inputs(request)
        drawer, beats, linked = values.text("drawer"), values.text("beats"), values.text("linked")
        return cls(
            open_key=open_key,
            drawer=drawer if drawer in DRAWERS else "",
            beats=int(beats) if beats in map(str, SPANS) else SPANS[0],
            at=play_position(values, song),
            section=values.text("section"),
            linked={"yes": True, "no": False}.get(linked),
            panel=values.text("fields"),
        )


def returns_context(opened: SongState, state: ReturnsState) -> dict[str, Any]:
    """Return what the whole page shows."""
    plan = opened.plan
    axis = TimeAxis(plan.song, state.at)
    return {
        "strips": [strip_context(opened, r, state, is_open=r.id == state.open_key) for r in plan.returns],
        "group_strips": [group_context(plan, g, is_open=g.id == state.open_key) for g in plan.groups],
        "axis": axis,
        "state": state,
        "starts": by_kind(STARTS.values()),
        "responses": response_choices(opened.song),
        "flow": flow_picture(plan),
    }


def strip_context(
    opened: SongState, return_: Return, state: ReturnsState, *, is_open: bool, errors: Errors = NO_ERRORS
) -> dict[str, Any]:
    """Return what the strip of one return shows."""
    plan = opened.plan
    output = next((group.name for group in plan.groups if group.id == return_.output), "Main")
    axis = TimeAxis(plan.song, state.at)
    context: dict[str, Any] = {
        "return": return_,
        "style": styles(plan.returns)[return_.id],
        "is_open": is_open,
        "axis": axis,
        "feed_bars": feed_bars(plan, return_),
        "output": output,
        "width_percent": figure(return_.width * 100, 0),
    }
    if not is_open:
        seen = (opened.song.pk, return_, context["style"], context["feed_bars"], output, axis.beat_s, axis.has_backbeat)
        return {  # pictures are made when the template asks: not where the strip is kept drawn
            **context,
            "time": partial(time_picture, return_, axis, has_handles=False),
            "tone": partial(tone_picture, filters_of(return_), plan.song.sample_rate, SMALL),
            "drawn_from": hashlib.sha256(repr(seen).encode()).hexdigest(),
        }
    open_axis = TimeAxis(plan.song, state.at, state.beats)
    choices = song_choices(opened)
    typed_name, name_error = errors.get("return/name", (return_.name, ""))
    fields = FieldContext(plan=plan, axis=open_axis, choices=choices, errors=errors, linked=state.linked)
    return {
        **context,
        "typed_name": typed_name,
        "name_error": name_error,
        "axis": open_axis,
        "time": time_picture(return_, open_axis),
        "tone": tone_picture(filters_of(return_), plan.song.sample_rate),
        "feeds": _feeds(plan, return_),
        **_panels(return_, fields, state.panel),
        "filter_shapes": SHAPES.items(),
        "effects_to_add": by_kind(STARTING_POINTS),
        "listening_kinds": [kind for kind in KINDS.values() if kind.source],
        "responses": choices[Form.PATH],
        "spans": SPANS,
        "has_tone": any(s.kind == "tone" and s.on and s.filters for s in return_.chain),
        "drawers": DRAWERS.items(),
        "drawer": drawer_context(opened, return_, state.drawer, open_axis),
        "section": state.section or _section_at(plan.song, state.at),
    }


def _panels(return_: Return, fields: FieldContext, wanted: str) -> dict[str, Any]:
    """Return the panels of fields, and which one is open: the wanted one, or the one with a field that was refused."""
    made = panels(return_, fields)
    refused = next((p for p in made if any(f.error for group in p.groups for f in group.fields)), None)
    chosen = refused or next((p for p in made if p.key == wanted), made[0])
    return {"panels": made, "panel": chosen.key}


def song_choices(opened: SongState) -> dict[Form, Sequence[tuple[str, str]]]:
    """Return what parameters may be that depend on the song: impulse responses, and keys to duck by."""
    plan = opened.plan
    keys = [(item.id, item.name) for items in (plan.tracks, plan.groups) for item in items]
    return {Form.PATH: response_choices(opened.song), Form.ID: keys}


def _section_at(song: Song, at: Position) -> str:
    """Return the section at the play position; the whole song where nobody has begun to play."""
    return "" if at == FIRST else next((s.id for s in song.sections if s.start <= at < s.end), "")


def _feeds(plan: Plan, return_: Return) -> list[dict[str, Any]]:
    names = plan.names
    return [
        {
            "name": names[send.source],
            "send": send,
            "share": share_of_scale(send.level_db),
        }
        for send in plan.sends_into(return_.id)
    ]


def group_context(plan: Plan, group: Group, *, is_open: bool, errors: Errors = NO_ERRORS) -> dict[str, Any]:
    """Return what the strip of one group shows: its tone and who passes through it."""
    filters = [(f"filter/{group.id}/{index}", filter_) for index, filter_ in enumerate(group.tone)]
    return {
        "group": group,
        "is_open": is_open,
        "tone": tone_picture(filters, plan.song.sample_rate, LARGE if is_open else SMALL),
        "members": [track.name for track in plan.tracks_in(group.id)]
        + [r.name for r in plan.returns if r.output == group.id],
        "fields": [group_level(group, errors), *(filter_group(path, filter_, errors) for path, filter_ in filters)]
        if is_open
        else [],
        "tracks": [track.id for track in plan.tracks_in(group.id)],
        "track_names": [track.name for track in plan.tracks_in(group.id)],
        "returns": [r.id for r in plan.returns if r.output == group.id],
        "filter_shapes": SHAPES.items(),
    }
