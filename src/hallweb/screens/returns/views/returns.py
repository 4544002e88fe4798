"""The Returns screen: one band a return, one of them open; groups and routing under them."""

from dataclasses import replace
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.screens.common.context import (
    edited,
    frame_context,
    item_or_404,
    open_song,
    refused,
    sentence_of,
    show_screen,
)
from hallweb.screens.common.starting_points import STARTS
from hallweb.screens.returns.changes import Change, posted_change, return_change
from hallweb.screens.returns.context import (
    NO_ERRORS,
    Errors,
    ReturnsState,
    band_context,
    response_name,
    returns_context,
)
from hallweb.screens.returns.presets_panel import presets_context
from hallweb.screens.returns.time_axis import TimeAxis
from hallweb.screens.returns.time_pictures import time_picture
from hallweb.screens.returns.tone_pictures import bands_of, tone_picture
from hallweb.songs.actions import SongState
from hallweb.songs.responses import provide_response
from highhall.errors import CoreError
from highhall.plan import Band, Plan, Return, Step
from highhall.plan.edits import (
    add_return,
    copy_return,
    free_name,
    place_return,
    remove_return,
    step_of_kind,
    swap_sides,
)
from highhall.plan.isolation import only_return

TEMPLATE = "returns/page.html"
_LOW_CUT = Band(shape="low_cut", hz=200.0)


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show all returns, the one named by `open` opened."""
    opened = open_song(request, song_id)
    open_key = request.GET.get("open", opened.plan.returns[0].id if opened.plan.returns else "")
    return show_screen(request, opened, "returns", TEMPLATE, _context(request, opened, open_key))


def _context(request: HttpRequest, opened: SongState, open_key: str) -> dict[str, Any]:
    state = ReturnsState.of(request, opened.plan.song, open_key)
    return {**returns_context(opened, state), **presets_context(request, opened.plan)}


def sheet(request: HttpRequest, opened: SongState, open_key: str) -> HttpResponse:
    """Return the sheet alone, drawn anew."""
    context = {**frame_context(opened, "returns"), **_context(request, opened, open_key), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


@login_required
def band(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return one open band with another drawer or span, as the address says; nothing is edited."""
    opened = open_song(request, song_id)
    return _band_answer(request, opened, key, "band")


def band_part(
    request: HttpRequest, opened: SongState, key: str, errors: Errors = NO_ERRORS, status: int = 200
) -> HttpResponse:
    """Return one band drawn anew, with the history and the routing."""
    return _band_answer(request, opened, key, "band-answer", errors, status)


def _band_answer(
    request: HttpRequest, opened: SongState, key: str, part: str, errors: Errors = NO_ERRORS, status: int = 200
) -> HttpResponse:
    return_ = item_or_404(opened.plan.returns, key)
    state = ReturnsState.of(request, opened.plan.song, key)
    is_open = request.POST.get("is_open") != "no"
    context = {
        **frame_context(opened, "returns"),
        "band": band_context(opened, return_, state, is_open=is_open, errors=errors),
        "state": state,
        "is_part": True,
    }
    return render(request, f"{TEMPLATE}#{part}", context, status=status)


@login_required
@require_POST
def add(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a return with a starting point, or an impulse response, and a low cut; open it."""
    start = request.POST.get("start", "")
    opened = open_song(request, song_id)
    try:
        name, step = _starting_step(opened, start)
    except CoreError as error:
        return refused(request, sentence_of(error))
    added_id = ""

    def edit(plan: Plan) -> Plan:
        nonlocal added_id
        tone = Step(id="tone", kind="tone", params={"bands": (_LOW_CUT,)})
        chain = (replace(step, id="space" if step.kind == "reverb" else step.kind), tone)
        plan, added_id = add_return(plan, free_name(name, {r.name for r in plan.returns}), chain, level_db=0.0)
        return plan

    return edited(request, song_id, f"Add {name}", edit, lambda state: sheet(request, state, added_id))


def _starting_step(opened: SongState, start: str) -> tuple[str, Step]:
    kind, _, path = start.partition(":")
    if kind == "ir":
        provide_response(opened.song, path)
        return response_name(path), step_of_kind("impulse", "impulse", {"ir": path})
    point = STARTS.get(start)
    if point is None:
        raise CoreError(f"choose what to start with, such as {next(iter(STARTS.values())).name}")
    return point.name, point.step


@login_required
@require_POST
def change(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Duplicate a return, put it earlier or later, or remove it with what feeds it, as `change` says."""
    name = item_or_404(open_song(request, song_id).plan.returns, key).name
    what = request.POST.get("change", "")
    open_key = key

    def edit(plan: Plan) -> Plan:
        nonlocal open_key
        match what:
            case "duplicate":
                plan, open_key = copy_return(plan, key)
                return plan
            case "earlier" | "later":
                return place_return(plan, key, -1 if what == "earlier" else 1)
            case "remove":
                open_key = ""
                return remove_return(plan, key)
        raise Http404

    return edited(request, song_id, f"{what.capitalize()} {name}", edit, lambda state: sheet(request, state, open_key))


@login_required
@require_POST
def swap(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Swap the sides of a step."""
    return_ = item_or_404(open_song(request, song_id).plan.returns, key)
    step = item_or_404(return_.chain, request.POST.get("step", ""))
    return edited(
        request,
        song_id,
        f"Swap sides, {return_.name}",
        lambda plan: swap_sides(plan, key, step.id),
        lambda state: band_part(request, state, key),
    )


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set fields of a return; each `path` says which, each `value` is what was typed."""
    opened = open_song(request, song_id)
    return_ = item_or_404(opened.plan.returns, key)
    path, text = request.POST.get("path", ""), request.POST.get("value", "")

    def refuse(error: CoreError) -> HttpResponse:
        said = sentence_of(error)
        return band_part(request, opened, key, {path: (text, said)}, status=422)

    try:
        change = _posted_change(request, opened.plan, key)
        if _names_response(return_, path):
            provide_response(opened.song, text)
    except CoreError as error:
        return refuse(error)
    label = f"{change.what}, {return_.name}"
    return edited(request, song_id, label, change.edit, lambda state: band_part(request, state, key), refuse)


def _names_response(return_: Return, path: str) -> bool:
    return any(path == f"step/{s.id}/{s.table.response.name}" for s in return_.chain if s.table.response)


def _posted_change(request: HttpRequest, plan: Plan, key: str) -> Change:
    is_linked = request.POST.get("linked") == "yes"

    def made(newest: Plan, path: str, text: str) -> Change:
        return return_change(newest.return_(key), path, text, is_linked=is_linked)

    return posted_change(request.POST, plan, made)


@login_required
@require_POST
def preview(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return the pictures of a return as they would be with the posted fields; nothing is stored."""
    opened = open_song(request, song_id)
    item_or_404(opened.plan.returns, key)
    bare = only_return(opened.plan, key)
    try:
        plan = _posted_change(request, bare, key).edit(bare)
    except CoreError as error:
        return HttpResponse(sentence_of(error), status=422, content_type="text/plain; charset=utf-8")
    return_ = plan.return_(key)
    state = ReturnsState.of(request, plan.song, key)
    held = request.POST.get("held", "")
    context = {
        "band": {
            "return": return_,
            "time": time_picture(return_, TimeAxis(plan.song, state.at, state.beats), held),
            "tone": tone_picture(bands_of(return_), plan.song.sample_rate, held=held),
        }
    }
    return render(request, "returns/pictures.html#both", context)
