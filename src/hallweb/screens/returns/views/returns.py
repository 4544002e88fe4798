"""The Returns screen: one strip a return, one of them open; groups and routing under them."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from hallweb.inputs import inputs, item_or_404
from hallweb.screens.common.context import edited, frame_context, open_song, refused, sentence_of, show_screen
from hallweb.screens.common.starting_points import STARTS
from hallweb.screens.returns.changes import return_change
from hallweb.screens.returns.context import (
    NO_ERRORS,
    Errors,
    ReturnsState,
    returns_context,
    strip_context,
)
from hallweb.screens.returns.fields import FieldContext, field_groups, typed_fields
from hallweb.screens.returns.presets_panel import presets_context
from hallweb.screens.returns.responses_panel import responses_context
from hallweb.screens.returns.time_axis import TimeAxis
from hallweb.screens.returns.time_pictures import time_picture
from hallweb.screens.returns.tone_pictures import filters_of, tone_picture
from hallweb.screens.returns.views.posted import MadeChange, previewed, set_posted
from hallweb.songs.actions import SongState
from hallweb.songs.responses import provide_response, response_name
from highhall.errors import CoreError
from highhall.plan import Effect, Filter, Plan
from highhall.plan.edits import (
    add_return,
    copy_return,
    effect_of_kind,
    free_name,
    place_return,
    put_return_before,
    remove_return,
    swap_sides,
)
from highhall.plan.isolation import only_return

TEMPLATE = "returns/page.html"
_LOW_CUT = Filter(shape="low_cut", hz=200.0)


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show all returns, the one named by `open` opened."""
    opened = open_song(request, song_id)
    open_key = inputs(request).text("open", opened.plan.returns[0].id if opened.plan.returns else "")
    return show_screen(request, opened, "returns", TEMPLATE, _context(request, opened, open_key))


def _context(request: HttpRequest, opened: SongState, open_key: str) -> dict[str, Any]:
    state = ReturnsState.of(request, opened.plan.song, open_key)
    is_listing = inputs(request).text("panel") == "responses"
    return {
        **returns_context(opened, state),
        **presets_context(request, opened.plan),
        **responses_context(opened.song, is_open=is_listing),
    }


def page(request: HttpRequest, opened: SongState, open_key: str) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    context = {**frame_context(opened, "returns"), **_context(request, opened, open_key), "is_part": True}
    return render(request, f"{TEMPLATE}#page", context)


@login_required
@require_safe
def strip(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return one open strip with another drawer or span, as the address says, after an edit with the history too."""
    opened = open_song(request, song_id)
    is_answer = inputs(request).has("edited")
    return _strip_answer(request, opened, key, "strip-answer" if is_answer else "strip")


def strip_part(
    request: HttpRequest, opened: SongState, key: str, errors: Errors = NO_ERRORS, status: int = 200
) -> HttpResponse:
    """Return one strip drawn anew, with the history and the routing."""
    return _strip_answer(request, opened, key, "strip-answer", errors, status)


def _strip_answer(
    request: HttpRequest, opened: SongState, key: str, part: str, errors: Errors = NO_ERRORS, status: int = 200
) -> HttpResponse:
    return_ = item_or_404(opened.plan.returns, key)
    state = ReturnsState.of(request, opened.plan.song, key)
    is_open = inputs(request).text("is_open") != "no"
    context = {
        **frame_context(opened, "returns"),
        "strip": strip_context(opened, return_, state, is_open=is_open, errors=errors),
        "state": state,
        "is_part": True,
    }
    return render(request, f"{TEMPLATE}#{part}", context, status=status)


@login_required
@require_POST
def add(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a return with a starting point, or an impulse response, and a low cut; open it."""
    start = inputs(request).text("start")
    opened = open_song(request, song_id)
    try:
        name, effect = _starting_effect(opened, start)
    except CoreError as error:
        return refused(request, sentence_of(error))
    added_id = ""

    def edit(plan: Plan) -> Plan:
        nonlocal added_id
        tone = Effect(id="tone", kind="tone", params={"bands": (_LOW_CUT,)})
        chain = (replace(effect, id="space" if effect.kind == "reverb" else effect.kind), tone)
        plan, added_id = add_return(plan, free_name(name, {r.name for r in plan.returns}), chain, level_db=0.0)
        return plan

    return edited(request, song_id, f"Add {name}", edit, lambda state: page(request, state, added_id))


def _starting_effect(opened: SongState, start: str) -> tuple[str, Effect]:
    kind, _, path = start.partition(":")
    if kind == "ir":
        provide_response(opened.song, path)
        return response_name(path), effect_of_kind("impulse", "impulse", {"ir": path})
    point = STARTS.get(start)
    if point is None:
        raise CoreError(f"choose what to start with, such as {next(iter(STARTS.values())).name}")
    return point.name, point.effect


_CHANGES: Mapping[str, Callable[[Plan, str], tuple[Plan, str]]] = {
    "duplicate": copy_return,
    "earlier": lambda plan, key: (place_return(plan, key, -1), key),
    "later": lambda plan, key: (place_return(plan, key, 1), key),
    "remove": lambda plan, key: (remove_return(plan, key), ""),
}
"""What a button of the open strip does: the plan after it, and the return that is open then."""


@login_required
@require_POST
def change(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Duplicate a return, put it earlier or later, or remove it with what feeds it, as `change` says."""
    name = item_or_404(open_song(request, song_id).plan.returns, key).name
    what = inputs(request).choice("change", _CHANGES)
    open_key = key

    def edit(plan: Plan) -> Plan:
        nonlocal open_key
        plan, open_key = _CHANGES[what](plan, key)
        return plan

    return edited(request, song_id, f"{what.capitalize()} {name}", edit, lambda state: page(request, state, open_key))


@login_required
@require_POST
def place(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Put a return before another one, or last without one."""
    plan = open_song(request, song_id).plan
    return_ = item_or_404(plan.returns, key)
    before = inputs(request).item("before", plan.returns).id if inputs(request).has("before") else None
    if before == key:
        return HttpResponse(status=204)
    open_key = inputs(request).text("open")
    return edited(
        request,
        song_id,
        f"Order, {return_.name}",
        lambda plan: put_return_before(plan, key, before),
        lambda state: page(request, state, open_key),
    )


@login_required
@require_POST
def swap(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Swap the sides of an effect."""
    return_ = item_or_404(open_song(request, song_id).plan.returns, key)
    effect = inputs(request).item("effect", return_.chain)
    return edited(
        request,
        song_id,
        f"Swap sides, {return_.name}",
        lambda plan: swap_sides(plan, key, effect.id),
        lambda state: strip_part(request, state, key),
    )


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set fields of a return; each `path` says which, each `value` is what was typed."""
    opened = open_song(request, song_id)
    return_ = item_or_404(opened.plan.returns, key)

    def provide(path: str, text: str) -> None:
        if any(path == f"effect/{s.id}/{s.table.response.name}" for s in return_.chain if s.table.response):
            provide_response(opened.song, text)

    is_closed = inputs(request).text("is_open") == "no"
    drawn_by = "" if is_closed else reverse("returns:strip", args=[song_id, key])
    return set_posted(request, opened, key, return_.name, _made(request, key), strip_part, provide, later=drawn_by)


def _made(request: HttpRequest, key: str) -> MadeChange:
    is_linked = inputs(request).text("linked") == "yes"
    return lambda plan, path, text: return_change(plan.return_(key), path, text, is_linked=is_linked)


@login_required
@require_POST
def preview(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return the pictures of a return as they would be with the posted fields; nothing is stored."""
    opened = open_song(request, song_id)
    item_or_404(opened.plan.returns, key)

    def draw(plan: Plan, held: str) -> HttpResponse:
        return_, state = plan.return_(key), ReturnsState.of(request, plan.song, key)
        axis = TimeAxis(plan.song, state.at, state.beats)
        strip = {
            "return": return_,
            "time": time_picture(return_, axis, held),
            "tone": tone_picture(filters_of(return_), plan.song.sample_rate, held=held),
        }
        groups = field_groups(return_, FieldContext(plan=plan, axis=axis))
        context = {"strip": strip, "fields": typed_fields(groups)}
        return render(request, "returns/pictures.html#preview", context)

    return previewed(request, only_return(opened.plan, key), _made(request, key), draw)
