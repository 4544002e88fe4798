"""The Sends screen: every source against every return, one send or many at once."""

from collections.abc import Sequence
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.analysis.wetness import wet_readings
from hallweb.screens.common.context import edited, frame_context, open_song, play_position, refused, show_screen
from hallweb.screens.common.starting_points import STARTS, by_kind
from hallweb.screens.sends.context import BAR_PX, NEW_SEND_DB, Crossings, matrix_context, ticks
from hallweb.songs.actions import SongState
from highhall.plan import Edit, Plan, SendTarget
from highhall.plan.edits import (
    add_return_for,
    change_sends,
    clear_section_value,
    clear_sends,
    free_name,
    nudge_sends,
    remove_send,
    scale_sends,
    set_levels,
    set_section_value,
    set_send,
)
from highhall.plan.edits.many_sends import Pair
from highhall.plan.edits.moves import NEW_RAMP
from highhall.plan.kinds import read_level, read_pan
from highhall.wording import EntryError, parse_number

TEMPLATE = "sends/page.html"
WET_PX = 112
NEW_RETURN_DB = -12.0


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show the matrix; `section` chooses whose levels are shown and set, none means the sends' own."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "sends", TEMPLATE, _context(opened, request.GET.get("section", "")))


def sheet(request: HttpRequest, opened: SongState, section: str) -> HttpResponse:
    """Return the sheet alone, drawn anew."""
    context = {**frame_context(opened, "sends"), **_context(opened, section), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


def _context(opened: SongState, section: str) -> dict[str, Any]:
    return {**matrix_context(opened.plan, section), "starts": by_kind(STARTS.values())}


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int) -> HttpResponse:
    """Set level, tap or switch of one send; a level in a section becomes that section's value."""
    post = request.POST
    source, target, section, field = (post.get(name, "") for name in ("source", "target", "section", "field"))
    plan = open_song(request, song_id).plan
    names = plan.names
    if source not in names or not any(r.id == target for r in plan.returns):
        raise Http404
    _check_section(plan, section)
    name = f"{names[source]} to {names[target]}"
    try:
        label, edit = _edit(plan, source, target, section, field, post.get("value", ""))
    except EntryError as error:
        return refused(request, f"{name}: {error}")
    return edited(
        request, song_id, f"{label}, {name}", edit, lambda state: _cell_part(request, state, source, target, section)
    )


def _check_section(plan: Plan, section: str) -> None:
    if section and not any(s.id == section for s in plan.song.sections):
        raise Http404


def _edit(plan: Plan, source: str, target: str, section: str, field: str, text: str) -> tuple[str, Edit]:
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
            level_db = read_level(text)
            if section:
                return "Level in section", lambda p: set_section_value(p, move_target, section, level_db, ramp=NEW_RAMP)
            return "Level", lambda p: set_send(p, source, target, level_db=level_db)
    raise Http404


def _cell_part(request: HttpRequest, opened: SongState, source: str, target: str, section: str) -> HttpResponse:
    cell = Crossings(opened.plan, section).cell(source, target)
    context = {
        **frame_context(opened, "sends"),
        "cell": cell,
        "section": section,
        "bar_px": BAR_PX,
        "ticks": ticks(),
        "is_part": True,
        "is_answer": True,
    }
    return render(request, f"{TEMPLATE}#cell-answer", context)


@login_required
@require_POST
def set_many(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change all chosen sends as one edit: `cell` names each as SOURCE/TARGET, `do` says what, `value` by how much."""
    plan = open_song(request, song_id).plan
    section = request.POST.get("section", "")
    _check_section(plan, section)
    pairs = _pairs(plan, request.POST.getlist("cell"))
    if not pairs:
        return refused(request, "Choose sends first: click cells, drag over them, or press Shift with an arrow key.")
    try:
        label, edit = _edit_many(request, plan, pairs, section)
    except EntryError as error:
        return refused(request, str(error))
    count = f"{len(pairs)} send{'s' * (len(pairs) != 1)}"
    return edited(request, song_id, f"{label}, {count}", edit, lambda state: sheet(request, state, section))


def _pairs(plan: Plan, cells: Sequence[str]) -> list[Pair]:
    sources, targets = plan.names, {r.id for r in plan.returns}
    pairs = [(source, target) for source, _, target in (cell.partition("/") for cell in cells)]
    if any(source not in sources or target not in targets for source, target in pairs):
        raise Http404
    return pairs


def _edit_many(request: HttpRequest, plan: Plan, pairs: list[Pair], section: str) -> tuple[str, Edit]:
    text = request.POST.get("value", "")
    where: dict[str, Any] = {"section": section or None, "ramp": NEW_RAMP if section else None}
    match request.POST.get("do"):
        case "set":
            level = read_level(text)
            return "Set", lambda p: set_levels(p, dict.fromkeys(pairs, level), **where)
        case "unity":
            return "Unity", lambda p: set_levels(p, dict.fromkeys(pairs, 0.0), **where)
        case "nudge":
            by_db = parse_number(text, "Type by how many dB, such as 0.5 or -2.")
            return "Nudge", lambda p: nudge_sends(p, pairs, by_db, **where)
        case "scale":
            share = parse_number(text.rstrip("% "), "Type how far apart they are to be in per cent, such as 50.") / 100
            return "Scale", lambda p: scale_sends(p, pairs, share, **where)
        case "pan":
            pan = read_pan(text)
            return "Pan", lambda p: change_sends(p, pairs, pan=pan)
        case "pre" | "post" as tap:
            return f"{tap.capitalize()} fader", lambda p: change_sends(p, pairs, tap=tap)
        case "on" | "off" as state:
            return state.capitalize(), lambda p: change_sends(p, pairs, on=state == "on")
        case "clear":
            return "Clear", lambda p: clear_sends(p, pairs)
        case "paste":
            levels = [read_level(each) for each in request.POST.getlist("level")]
            if len(levels) != len(pairs):
                raise Http404
            return "Paste", lambda p: set_levels(p, dict(zip(pairs, levels, strict=True)), **where)
        case "return":
            return _new_return(plan, pairs, request.POST.get("start", ""))
    raise Http404


def _new_return(plan: Plan, pairs: list[Pair], start: str) -> tuple[str, Edit]:
    point = STARTS.get(start)
    if point is None:
        raise EntryError("Choose what the new return starts from.")
    returns = {r.id for r in plan.returns}
    sources = [source for source in dict.fromkeys(source for source, _ in pairs) if source not in returns]
    name = free_name(point.name, {r.name for r in plan.returns})
    return f"New return {name}", lambda p: add_return_for(p, sources, name, (point.step,), NEW_RETURN_DB)[0]


@login_required
def wetness(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return the wet column of a section, fetched after the page since it listens to the stems.

    It is the section that is named, else the one that is played; outside of them it is the whole song.
    """
    opened = open_song(request, song_id)
    song = opened.plan.song
    at = play_position(request.GET, song)
    chosen = next((s for s in song.sections if s.id == request.GET.get("section")), None)
    chosen = chosen or next((s for s in song.sections if s.start <= at < s.end), None)
    readings = wet_readings(opened.song.pk, opened.plan, chosen) if song.sections else []
    rows = [
        {"source": r.source, "is_silent": r.wet_db is None, "is_dry": distance is None, "wet_db": r.wet_db}
        | {"distance_m": distance, "bar": bar * WET_PX}
        for r, distance, bar in readings
    ]
    return render(
        request, f"{TEMPLATE}#wet-cells", {"rows": rows, "where": chosen.name if chosen else "the whole song"}
    )
