"""The Hall screen: where every instrument stands in a section, and where it is asked to be."""

import math
from collections.abc import Callable
from functools import partial
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import require_editable
from hallweb.analysis.depth import model_now
from hallweb.audition.background import MeasurementError
from hallweb.audition.wetness import heard_wetness, predicted_depth
from hallweb.inputs import inputs
from hallweb.screens.common.context import (
    edited,
    frame_context,
    open_song,
    play_position,
    refused,
    sentence_of,
    show_screen,
)
from hallweb.screens.common.htmx import nothing_to_show
from hallweb.screens.hall.context import NAMED_SPACES, hall_context
from hallweb.screens.hall.proposing import Wanted, drafted, proposing_context
from hallweb.screens.hall.state import HallState
from hallweb.songs.actions import SongState
from hallweb.songs.sounds import song_sounds
from highhall.depth import DepthModel
from highhall.depth.deepening import deepen
from highhall.depth.drift import drifts
from highhall.depth.placing import place
from highhall.errors import CoreError
from highhall.plan import Edit, Plan
from highhall.plan.edits import set_space, set_targets, set_tracks
from highhall.plan.edits.wishes import SpaceFields
from highhall.wording import figure

TEMPLATE = "hall/page.html"
PROPOSING = "hall/propose.html"
_AGREES_DB = 1.0


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show a section of the song from above, and what is asked of one source."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "hall", TEMPLATE, _context(request, opened))


def page(request: HttpRequest, opened: SongState) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    context = {**frame_context(opened, "hall"), **_context(request, opened), "is_part": True}
    return render(request, f"{TEMPLATE}#page", context)


def _context(request: HttpRequest, opened: SongState) -> dict[str, Any]:
    state = _state(request, opened.plan)
    try:
        model, problem = predicted_depth(opened.revision), ""
    except MeasurementError as error:
        model, problem = None, str(error)
    return hall_context(opened, state, model, problem)


@login_required
@require_safe
def measured_place(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return where a source is heard in a section when it is rendered alone; or, until that is done, what asks again."""
    opened = open_song(request, song_id)
    state = _state(request, opened.plan)
    model = predicted_depth(opened.revision)
    if not state.source or model is None:
        return nothing_to_show()
    predicted = model.readings[state.source, state.place].wet_db
    if predicted is None or predicted == -math.inf:
        return HttpResponse()
    try:
        heard = heard_wetness(opened.revision, state.source, state.place)
    except MeasurementError as error:
        return render(request, "hall/panel.html#heard", {"problem": str(error)})
    if heard is None:
        return render(request, "hall/panel.html#hearing", {"song": opened.song})
    agrees = abs(heard - predicted) <= _AGREES_DB
    context = {"heard_m": opened.plan.space.distance_m(heard), "heard_db": heard, "agrees": agrees}
    return render(request, "hall/panel.html#heard", context)


def _state(request: HttpRequest, plan: Plan) -> HallState:
    said = inputs(request)
    at = play_position(said, plan.song)
    playing = next((section for section in plan.song.sections if section.start <= at < section.end), None)
    return HallState.of(said, plan, playing)


def _edit(request: HttpRequest, song_id: int, label: str, change: Callable[[DepthModel], Plan]) -> HttpResponse:
    """Make an edit that is worked out by the depth model of the plan at hand."""
    sounds = song_sounds(song_id)
    try:
        model_now(sounds, open_song(request, song_id).plan)  # seconds, if it has to be: not while the song is locked
    except CoreError as error:
        return refused(request, sentence_of(error))

    def edit(plan: Plan) -> Plan:
        return change(model_now(sounds, plan))

    return edited(request, song_id, label, edit, lambda state: page(request, state))


@login_required
@require_POST
def apply(request: HttpRequest, song_id: int) -> HttpResponse:
    """Put a source where it is asked to be, by the sends that are not refused, as one edit."""
    opened = open_song(request, song_id)
    state = _state(request, opened.plan)
    wishes = state.wishes(opened.plan)
    where = {"song": "", "alike": f", {len(wishes)} sections"}.get(
        state.scope, f" in {state.section.name}" if state.section else ""
    )
    label = f"{opened.plan.track(state.source).name} to {figure(state.asked_m or 0.0)} m{where}"

    def placed(model: DepthModel) -> Plan:
        return place(model, wishes, free=state.free(model.plan), keeps_loudness=state.keeps_loudness).plan

    return _edit(request, song_id, label, placed)


@login_required
@require_safe
def propose(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show a whole first design from a place for each instrument; until it is worked out, what asks again."""
    opened = open_song(request, song_id)
    wanted = Wanted.of(inputs(request), opened.plan)
    context: dict[str, Any] = {"wanted": wanted}
    try:
        found = drafted(opened, wanted)
        more = proposing_context(opened, wanted, found) if found else {"is_early": True}
    except (MeasurementError, CoreError) as error:
        more = {"problem": str(error)}
    return show_screen(request, opened, "hall", PROPOSING, {**context, **more})


@login_required
@require_POST
def take_proposal(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make a proposed hall the plan's, as one edit."""
    wanted = Wanted.of(inputs(request), open_song(request, song_id).plan)

    def taken(model: DepthModel) -> Plan:
        return wanted.drafted(model).plan

    return _edit(request, song_id, "Proposed hall", taken)


@login_required
@require_POST
def set_pan(request: HttpRequest, song_id: int) -> HttpResponse:
    """Pan a source, dragged sideways in the plan; in per cent."""
    opened = open_song(request, song_id)
    state = _state(request, opened.plan)
    percent = inputs(request).text("pan")
    if not state.source or not percent.lstrip("-").isdecimal() or abs(int(percent)) > 100:
        raise Http404
    edit: Edit = partial(set_tracks, track_ids=[state.source], pan=int(percent) / 100)
    label = f"Pan, {opened.plan.track(state.source).name}"
    return edited(request, song_id, label, edit, lambda state: page(request, state))


@login_required
@require_POST
def deepen_section(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make a section deeper or nearer as a whole."""
    opened = open_song(request, song_id)
    section = inputs(request).item_or_none("deepened", opened.plan.song.sections)
    text = inputs(request).text("factor").replace(",", ".")
    try:
        factor = float(text)
    except ValueError:
        factor = 0.0
    if section is None:
        raise Http404
    if not 0.1 <= factor <= 10:
        return refused(request, "Type how many times as deep, from 0.1 to 10, such as 1.2.")
    label = f"{section.name} {figure(factor, 2)} times as deep"
    return _edit(request, song_id, label, lambda model: deepen(model, section.id, factor).plan)


@login_required
@require_POST
def place_again(request: HttpRequest, song_id: int) -> HttpResponse:
    """Put every source that has drifted back to where it is wanted, as one edit."""

    def placed(model: DepthModel) -> Plan:
        wishes = {
            (d.target.source, d.target.section): d.target.distance_m for d in drifts(model) if d.by_db is not None
        }
        return place(model, wishes).plan

    return _edit(request, song_id, "Back to the targets", placed)


@login_required
@require_POST
def forget(request: HttpRequest, song_id: int) -> HttpResponse:
    """Want a source nowhere in particular any more: in the section, and if no target is its own, in the song."""
    opened = open_song(request, song_id)
    state = _state(request, opened.plan)
    own = {(target.source, target.section) for target in opened.plan.targets}
    wish = (state.source, state.place) if (state.source, state.place) in own else (state.source, None)
    if wish not in own:
        raise Http404
    edit: Edit = partial(set_targets, distances={wish: None})
    label = f"No target, {opened.plan.track(state.source).name}"
    return edited(request, song_id, label, edit, lambda state: page(request, state))


@login_required
@require_POST
def change_space(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change the room that distances are read in; nothing of it is heard."""
    require_editable(request, song_id)
    said = inputs(request)
    named = NAMED_SPACES.get(said.text("room"))
    fields: SpaceFields
    if named:
        _, volume, decay = named
        fields = {"volume_m3": volume, "decay_s": decay}
    else:
        name = said.choice("field", {"volume_m3", "decay_s", "directivity"})
        try:
            fields = {name: float(said.text("value").replace(",", "."))}  # type: ignore[misc]
        except ValueError:
            return refused(request, "Type a number, such as 20000 for the volume in m\N{SUPERSCRIPT THREE}.")
    edit: Edit = partial(set_space, **fields)
    return edited(request, song_id, "Room for distances", edit, lambda state: page(request, state))
