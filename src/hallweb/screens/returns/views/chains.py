"""The chain of an open return: its effects added, removed, put in order, switched on and off."""

from collections.abc import Callable, Mapping

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import inputs, item_or_404
from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.returns.views.returns import strip_part
from hallweb.songs.actions import SongState
from hallweb.songs.responses import provide_response
from highhall.errors import CoreError
from highhall.plan import Effect, Plan, Return
from highhall.plan.edits import add_effect, effect_of_kind, place_effect, remove_effect, set_effect
from highhall.plan.kinds import KINDS, Kind
from highhall.plan.starting_points import STARTING_POINTS

_POINTS = {point.id: point for point in STARTING_POINTS}


@login_required
@require_POST
def add(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Add a starting point as the last effect of a return's chain."""
    opened = open_song(request, song_id)
    return_ = item_or_404(opened.plan.returns, key)
    try:
        effect = _effect_to_add(opened, return_, inputs(request).text("start"))
    except CoreError as error:
        return refused(request, sentence_of(error))
    return edited(
        request,
        song_id,
        f"Add {effect.table.label.lower()}",
        lambda plan: add_effect(plan, key, effect),
        lambda state: strip_part(request, state, key),
    )


def _effect_to_add(opened: SongState, return_: Return, start: str) -> Effect:
    """Return the effect that a choice stands for: a starting point, an impulse response, or one that hears the loudest feed."""
    kind, _, path = start.partition(":")
    if kind == "ir":
        provide_response(opened.song, path)
        return effect_of_kind("impulse", "impulse", {"ir": path})
    source = KINDS[kind].source if kind in KINDS else None
    if source:
        return _listening_effect(opened.plan, return_, KINDS[kind], source.name)
    point = _POINTS.get(start)
    if point is None:
        raise CoreError(f"choose an effect to add, such as {STARTING_POINTS[0].name}")
    return point.effect


def _listening_effect(plan: Plan, return_: Return, kind: Kind, name: str) -> Effect:
    sources = [item.id for items in (plan.tracks, plan.groups) for item in items]
    if not sources:
        raise CoreError(f"a {kind.label.lower()} needs a track to listen to; bring stems in on the Song screen first")
    feeds = [s for s in plan.sends_into(return_.id) if s.source in sources and s.level_db is not None]
    loudest = max(feeds, key=lambda send: send.level_db or 0.0).source if feeds else sources[0]
    return effect_of_kind(kind.name, kind.name, {name: loudest})


_CHANGES: Mapping[str, Callable[[Plan, str, Effect], Plan]] = {
    "earlier": lambda plan, key, effect: place_effect(plan, key, effect.id, -1),
    "later": lambda plan, key, effect: place_effect(plan, key, effect.id, 1),
    "remove": lambda plan, key, effect: remove_effect(plan, key, effect.id),
    "switch": lambda plan, key, effect: set_effect(plan, key, effect.id, on=not effect.on, params={}),
}


@login_required
@require_POST
def change(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Put an effect earlier or later, switch it, or remove it, as `change` says."""
    return_ = item_or_404(open_song(request, song_id).plan.returns, key)
    effect = inputs(request).item("effect", return_.chain)
    what = inputs(request).choice("change", _CHANGES)
    word = what.capitalize() if what != "switch" else "Off" if effect.on else "On"
    return edited(
        request,
        song_id,
        f"{word}: {effect.table.label.lower()}, {return_.name}",
        lambda plan: _CHANGES[what](plan, key, effect),
        lambda state: strip_part(request, state, key),
    )
