"""The Sends screen: every instrument against every return, for the whole song or one section."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.desk.charts import looks
from hallweb.desk.context import edited, frame_context, open_song, refused, show_screen
from hallweb.desk.entry import EntryError, parse_entry
from hallweb.songs.actions import SongState
from hallweb.songs.wetness import CRITICAL_DISTANCE_M, wet_readings
from highhall.plan import Plan, SendTarget
from highhall.plan.edits import clear_section_value, remove_send, set_section_value, set_send
from highhall.plan.kinds import LEVEL
from highhall.timing import NoteValue

TEMPLATE = "desk/sends.html"
NEW_SEND_DB = -20.0
_LOWEST_DB, _HIGHEST_DB = -36.0, 6.0
BAR_PX = 94
WET_PX = 112


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show the matrix; `section` chooses whose levels are shown and set, none means the sends' own."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "sends", TEMPLATE, _matrix(opened, request.GET.get("section", "")))


def sheet(request: HttpRequest, opened: SongState, section: str) -> HttpResponse:
    """Return the sheet alone, drawn anew."""
    context = {**frame_context(opened, "sends"), **_matrix(opened, section), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


def _matrix(opened: SongState, section: str) -> dict[str, Any]:
    plan = opened.plan
    section = section if any(s.id == section for s in plan.song.sections) else ""
    given = looks(plan.returns)
    crossings = _Crossings(plan, section)
    columns = [{"return": r, "look": given[r.id], "facts": _facts(plan, r.id)} for r in plan.returns]
    groups = [
        {
            "name": name,
            "rows": [{"track": t, "cells": [crossings.cell(t.id, r.id) for r in plan.returns]} for t in tracks],
            "count": len(tracks),
        }
        for name, tracks in _by_group(plan)
    ]
    return {
        "columns": columns,
        "groups": groups,
        "section": section,
        "bar_px": BAR_PX,
        "ticks": _ticks(),
        "critical_m": CRITICAL_DISTANCE_M,
    }


def _by_group(plan: Plan) -> list[tuple[str, list[Any]]]:
    named = [(group.name, list(plan.tracks_in(group.id))) for group in plan.groups]
    loose = list(plan.tracks_in(None))
    return [(name, tracks) for name, tracks in named if tracks] + ([("No group", loose)] if loose else [])


def _facts(plan: Plan, return_id: str) -> str:
    return_ = plan.return_(return_id)
    step = next((s for s in return_.chain if s.kind == "reverb"), None)
    return f"{step.value('space')}, {step.number('decay_s'):g} s" if step else "no space"


def _ticks() -> list[float]:
    return [(db - _LOWEST_DB) / (_HIGHEST_DB - _LOWEST_DB) * BAR_PX for db in (-24, -12)]


class _Crossings:
    """What every crossing of the matrix needs, looked up once."""

    def __init__(self, plan: Plan, section: str) -> None:
        self._section = section
        self._looks = looks(plan.returns)
        self._names = {item.id: item.name for items in (plan.tracks, plan.returns) for item in items}
        self._sends = {(send.source, send.target): send for send in plan.sends}
        self._moves = {
            (move.target.source, move.target.target): move
            for move in plan.moves
            if isinstance(move.target, SendTarget) and move.target.param == "level_db"
        }

    def cell(self, source: str, target: str) -> dict[str, Any]:
        """Return one cell: the level that holds in the section, and whether it is set there."""
        send = self._sends.get((source, target))
        name = f"{self._names[source]} to {self._names[target]}"
        cell: dict[str, Any] = {
            "source": source,
            "target": target,
            "send": send,
            "name": name,
            "look": self._looks[target],
        }
        if send is None:
            return cell
        move = self._moves.get((source, target))
        here = next((v for v in move.sections if v.section == self._section), None) if move else None
        level_db = here.value if here else send.level_db
        shown = level_db if isinstance(level_db, (int, float)) else _LOWEST_DB
        share = (shown - _LOWEST_DB) / (_HIGHEST_DB - _LOWEST_DB)
        return cell | {
            "level_db": level_db,
            "bar": max(0.0, min(1.0, share)) * BAR_PX,
            "has_moves": move is not None,
            "is_here": here is not None,
        }


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int) -> HttpResponse:
    """Set level, tap or switch of one send; a level in a section becomes that section's value."""
    post = request.POST
    source, target, section, field = (post.get(name, "") for name in ("source", "target", "section", "field"))
    opened = open_song(request, song_id)
    plan = opened.plan
    if not any(t.id == source for t in plan.tracks) or not any(r.id == target for r in plan.returns):
        raise Http404
    if section and not any(s.id == section for s in plan.song.sections):
        raise Http404
    name = f"{plan.track(source).name} to {plan.return_(target).name}"
    try:
        label, edit = _edit(plan, source, target, section, field, post.get("value", ""))
    except EntryError as error:
        return refused(request, f"{name}: {error}")
    return edited(
        request, song_id, f"{label}, {name}", edit, lambda state: _cell_part(request, state, source, target, section)
    )


def _edit(plan: Plan, source: str, target: str, section: str, field: str, text: str) -> Any:  # noqa: ANN401
    """Return an edit's label and function."""
    send = plan.send(source, target)
    move_target = SendTarget(source=source, target=target, param="level_db")
    match field:
        case "add":
            return "Add send", lambda p: set_send(p, source, target, level_db=NEW_SEND_DB)
        case "on" if send:
            return "On or off", lambda p: set_send(p, source, target, on=not send.on)
        case "tap" if send:
            tap = "pre" if send.tap == "post" else "post"
            return f"Send {tap} fader", lambda p: set_send(p, source, target, tap=tap)
        case "level" if send and section and not text.strip():
            return "Level as in the song", lambda p: clear_section_value(p, move_target, section)
        case "level" if send and not text.strip():
            return "Remove send", lambda p: remove_send(p, source, target)
        case "level" if send:
            level_db = parse_entry(LEVEL, text)
            if section:
                ramp = NoteValue(1, 8)
                return "Level in section", lambda p: set_section_value(p, move_target, section, level_db, ramp=ramp)  # type: ignore[arg-type]
            return "Level", lambda p: set_send(p, source, target, level_db=level_db)
    raise Http404


def _cell_part(request: HttpRequest, opened: SongState, source: str, target: str, section: str) -> HttpResponse:
    cell = _Crossings(opened.plan, section).cell(source, target)
    context = {
        **frame_context(opened, "sends"),
        "cell": cell,
        "section": section,
        "bar_px": BAR_PX,
        "ticks": _ticks(),
        "is_part": True,
        "is_answer": True,
    }
    return render(request, f"{TEMPLATE}#cell-answer", context)


@login_required
def wetness(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return the wet column of a section, fetched after the page since it listens to the stems."""
    opened = open_song(request, song_id)
    sections = opened.plan.song.sections
    chosen = next((s for s in sections if s.id == request.GET.get("section")), None)
    readings = wet_readings(opened.song.pk, opened.plan, chosen) if sections else []
    rows = [
        {"source": r.source, "is_silent": r.wet_db is None, "is_dry": distance is None, "wet_db": r.wet_db}
        | {"distance_m": distance, "bar": bar * WET_PX}
        for r, distance, bar in readings
    ]
    return render(request, f"{TEMPLATE}#wet-cells", {"rows": rows})
