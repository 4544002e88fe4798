"""The Sends screen: every source against every return, one send or many at once."""

from collections.abc import Sequence
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from hallweb.analysis.wetness import WetCell, wet_table
from hallweb.audition.background import MeasurementError
from hallweb.audition.wetness import predicted_depth
from hallweb.inputs import Inputs, inputs
from hallweb.screens.common.context import edited, frame_context, open_song, play_position, refused, show_screen
from hallweb.screens.common.starting_points import STARTS, by_kind
from hallweb.screens.sends.changes import Chosen, change_of_many, change_of_one
from hallweb.screens.sends.context import BAR_PX, Crossings, matrix_context, ticks
from hallweb.songs.actions import SongState
from highhall.plan import Plan, Section
from highhall.plan.edits.many_sends import Pair
from highhall.wording import EntryError

TEMPLATE = "sends/page.html"
WET_PX = 84


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show the matrix; `section` chooses whose levels are shown and set, none means the sends' own."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "sends", TEMPLATE, _context(opened, inputs(request).text("section")))


def page(request: HttpRequest, opened: SongState, section: str) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    context = {**frame_context(opened, "sends"), **_context(opened, section), "is_part": True}
    return render(request, f"{TEMPLATE}#page", context)


def _context(opened: SongState, section: str) -> dict[str, Any]:
    return {**matrix_context(opened.plan, section), "starts": by_kind(STARTS.values())}


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int) -> HttpResponse:
    """Set level, send point or switch of one send; a level in a section becomes that section's value."""
    said, plan = inputs(request), open_song(request, song_id).plan
    source, section = said.choice("source", plan.names), _section(said, plan)
    target = said.item("target", plan.returns).id
    name = f"{plan.names[source]} to {plan.names[target]}"
    try:
        label, edit = change_of_one(plan, source, target, section, said)
    except EntryError as error:
        return refused(request, f"{name}: {error}")
    return edited(
        request, song_id, f"{label}, {name}", edit, lambda state: _cell_part(request, state, source, target, section)
    )


def _section(said: Inputs, plan: Plan) -> str:
    """Return the id of the section whose levels are shown; empty for those of the whole song."""
    return said.item("section", plan.song.sections).id if said.has("section") else ""


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
    said, plan = inputs(request), open_song(request, song_id).plan
    section = _section(said, plan)
    pairs = _pairs(plan, said.texts("cell"))
    if not pairs:
        return refused(request, "Choose sends first: click cells, drag over them, or press Shift with an arrow key.")
    try:
        label, edit = change_of_many(Chosen(plan, pairs, section, said))
    except EntryError as error:
        return refused(request, str(error))
    count = f"{len(pairs)} send{'s' * (len(pairs) != 1)}"
    return edited(request, song_id, f"{label}, {count}", edit, lambda state: page(request, state, section))


def _pairs(plan: Plan, cells: Sequence[str]) -> list[Pair]:
    sources, targets = plan.names, {r.id for r in plan.returns}
    pairs = [(source, target) for source, _, target in (cell.partition("/") for cell in cells)]
    if any(source not in sources or target not in targets for source, target in pairs):
        raise Http404
    return pairs


@login_required
@require_safe
def wetness(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return the wet column, fetched after the page since it listens to the stems; until it is there, what asks again.

    It is that of the section which is named. Without one it is that of the section which is played, and for a track that
    is silent there of the section in which it is loudest.
    """
    opened = open_song(request, song_id)
    song = opened.plan.song
    chosen = inputs(request).item_or_none("section", song.sections)
    try:
        model = predicted_depth(opened.revision)
    except MeasurementError as error:
        return render(request, f"{TEMPLATE}#wet-cells", {"problem": str(error)})
    at = play_position(inputs(request), song)
    section = chosen or next((s for s in song.sections if s.start <= at < s.end), None)
    context = {"song": opened.song, "section": chosen.id if chosen else "", "where": section.name if section else ""}
    if model is None:
        return render(request, f"{TEMPLATE}#wet-cells", {**context, "is_early": True})
    index = song.sections.index(section) if section else 0
    rows = [
        _wet_row(song.sections, track, cells, index, is_fixed=chosen is not None)
        for track, cells in wet_table(model).items()
    ]
    return render(request, f"{TEMPLATE}#wet-cells", {**context, "rows": rows})


def _wet_row(
    sections: Sequence[Section], track: str, cells: Sequence[WetCell], index: int, *, is_fixed: bool
) -> dict[str, Any]:
    """Return a track's reading in a section, or in that in which it is loudest where it is silent and may be elsewhere."""
    cell, elsewhere = cells[index], ""
    loudest = max(range(len(cells)), key=lambda each: cells[each].dry_power)
    if cell.wet_db is None and not is_fixed and cells[loudest].wet_db is not None:
        cell, elsewhere = cells[loudest], sections[loudest].name
    return {"source": track, "cell": cell, "bar": cell.bar * WET_PX, "elsewhere": elsewhere}
