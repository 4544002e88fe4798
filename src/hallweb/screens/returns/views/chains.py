"""The chain of an open return: its steps added, removed, put in order, switched on and off."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.screens.common.context import edited, item_or_404, open_song, refused, sentence_of
from hallweb.screens.returns.views.returns import band_part
from hallweb.songs.actions import SongState
from hallweb.songs.responses import provide_response
from highhall.errors import CoreError
from highhall.plan import Plan, Return, Step
from highhall.plan.edits import add_step, place_step, remove_step, set_step, step_of_kind
from highhall.plan.kinds import KINDS, Kind
from highhall.plan.starting_points import STARTING_POINTS

_POINTS = {point.id: point for point in STARTING_POINTS}


@login_required
@require_POST
def add(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Add a starting point as the last step of a return's chain."""
    opened = open_song(request, song_id)
    return_ = item_or_404(opened.plan.returns, key)
    try:
        step = _step_to_add(opened, return_, request.POST.get("start", ""))
    except CoreError as error:
        return refused(request, sentence_of(error))
    return edited(
        request,
        song_id,
        f"Add {step.table.label.lower()}",
        lambda plan: add_step(plan, key, step),
        lambda state: band_part(request, state, key),
    )


def _step_to_add(opened: SongState, return_: Return, start: str) -> Step:
    """Return the effect that a choice stands for: a starting point, an impulse response, or one that hears the loudest feed."""
    kind, _, path = start.partition(":")
    if kind == "ir":
        provide_response(opened.song, path)
        return step_of_kind("impulse", "impulse", {"ir": path})
    source = KINDS[kind].source if kind in KINDS else None
    if source:
        return _listening_step(opened.plan, return_, KINDS[kind], source.name)
    point = _POINTS.get(start)
    if point is None:
        raise CoreError(f"choose an effect to add, such as {STARTING_POINTS[0].name}")
    return point.step


def _listening_step(plan: Plan, return_: Return, kind: Kind, name: str) -> Step:
    sources = [item.id for items in (plan.tracks, plan.groups) for item in items]
    if not sources:
        raise CoreError(f"a {kind.label.lower()} needs a track to listen to; bring stems in on the Song screen first")
    feeds = [s for s in plan.sends_into(return_.id) if s.source in sources and s.level_db is not None]
    loudest = max(feeds, key=lambda send: send.level_db or 0.0).source if feeds else sources[0]
    return step_of_kind(kind.name, kind.name, {name: loudest})


@login_required
@require_POST
def change(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Put a step earlier or later, switch it, or remove it, as `change` says."""
    return_ = item_or_404(open_song(request, song_id).plan.returns, key)
    step = item_or_404(return_.chain, request.POST.get("step", ""))
    what = request.POST.get("change", "")

    def edit(plan: Plan) -> Plan:
        match what:
            case "earlier":
                return place_step(plan, key, step.id, -1)
            case "later":
                return place_step(plan, key, step.id, 1)
            case "remove":
                return remove_step(plan, key, step.id)
            case "switch":
                return set_step(plan, key, step.id, on=not step.on, params={})
        raise Http404

    words = {"earlier": "Earlier", "later": "Later", "remove": "Remove", "switch": "Off" if step.on else "On"}
    label = f"{words.get(what, what)}: {step.table.label.lower()}, {return_.name}"
    return edited(request, song_id, label, edit, lambda state: band_part(request, state, key))
