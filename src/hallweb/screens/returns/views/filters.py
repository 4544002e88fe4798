"""Filters of returns and of groups: added and removed; and groups: made of returns, their level and tone."""

from collections.abc import Callable

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.access import require_editable
from hallweb.inputs import inputs, item_or_404
from hallweb.screens.common.context import edited, frame_context, open_song, refused
from hallweb.screens.returns.changes import group_change
from hallweb.screens.returns.context import NO_ERRORS, Errors, group_context
from hallweb.screens.returns.fields import filter_group, typed_fields
from hallweb.screens.returns.tone_pictures import tone_picture
from hallweb.screens.returns.views.posted import MadeChange, previewed, set_posted
from hallweb.screens.returns.views.returns import TEMPLATE, page, strip_part
from hallweb.songs.actions import SongState
from highhall.plan import Effect, Filter, Plan
from highhall.plan.edits import add_group_of_returns, id_from_name, set_effect, set_group, set_return
from highhall.plan.kinds import SHAPES
from highhall.wording import EntryError, parse_name


@login_required
@require_POST
def add(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Add a filter to a return's last tone effect, or to a group; a chain without a tone effect gets one."""
    require_editable(request, song_id)
    shape = inputs(request).text("shape")
    if shape not in SHAPES:
        return refused(request, f"Choose a filter: {', '.join(each.label for each in SHAPES.values())}.")
    filter_ = Filter(shape=shape, hz=SHAPES[shape].starts_at_hz)

    def edit(plan: Plan) -> Plan:
        if _is_group(plan, key):
            return set_group(plan, key, tone=(*plan.group(key).tone, filter_))
        return_ = item_or_404(plan.returns, key)
        tone = next((s for s in reversed(return_.chain) if s.table.filters), None)
        if tone is None:
            effect_id = id_from_name("tone", {s.id for s in return_.chain})
            added = Effect(id=effect_id, kind="tone", params={"bands": (filter_,)})
            return set_return(plan, key, chain=(*return_.chain, added))
        return set_effect(plan, key, tone.id, params={"bands": (*tone.filters, filter_)})

    return edited(request, song_id, f"Add {filter_.label.lower()}", edit, _answer(request, key))


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove one filter, named as EFFECT/INDEX, or GROUP/INDEX."""
    require_editable(request, song_id)
    effect_id, _, index_text = inputs(request).text("filter").partition("/")
    if not index_text.isdecimal():
        raise Http404
    index = int(index_text)

    def edit(plan: Plan) -> Plan:
        if _is_group(plan, key):
            filters = plan.group(key).tone
            return set_group(plan, key, tone=(*filters[:index], *filters[index + 1 :]))
        filters = item_or_404(item_or_404(plan.returns, key).chain, effect_id).filters
        return set_effect(plan, key, effect_id, params={"bands": (*filters[:index], *filters[index + 1 :])})

    return edited(request, song_id, "Remove filter", edit, _answer(request, key))


@login_required
@require_POST
def add_group(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make a group of the chosen returns: they go through it to main."""
    plan, said = open_song(request, song_id).plan, inputs(request)
    chosen = [item_or_404(plan.returns, key).id for key in said.texts("return")]
    if not chosen:
        return refused(request, "Choose the returns that are to go through the group.")
    try:
        name = said.read("name", parse_name)
    except EntryError as error:
        return refused(request, f"Name of the group: {error}")
    return edited(
        request,
        song_id,
        f"Group {name}",
        lambda plan: add_group_of_returns(plan, name, chosen),
        lambda state: page(request, state, said.text("open")),
    )


@login_required
@require_POST
def set_group_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set a group's level or mute, or fields of its tone."""
    opened = open_song(request, song_id)
    group = item_or_404(opened.plan.groups, key)
    return set_posted(request, opened, key, group.name, _made(key), _group_part)


@login_required
@require_POST
def preview_group(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return the curve of a group's tone as it would be with the posted fields; nothing is stored."""
    opened = open_song(request, song_id)
    item_or_404(opened.plan.groups, key)

    def draw(plan: Plan, held: str) -> HttpResponse:
        filters = [(f"filter/{key}/{index}", filter_) for index, filter_ in enumerate(plan.group(key).tone)]
        context = {
            "owner": key,
            "tone": tone_picture(filters, plan.song.sample_rate, held=held),
            "fields": typed_fields(filter_group(path, filter_, {}) for path, filter_ in filters),
        }
        return render(request, "returns/pictures.html#preview-group", context)

    return previewed(request, opened.plan, _made(key), draw)


def _made(key: str) -> MadeChange:
    return lambda plan, path, text: group_change(plan.group(key), path, text)


def _is_group(plan: Plan, key: str) -> bool:
    return any(group.id == key for group in plan.groups)


def _answer(request: HttpRequest, key: str) -> Callable[[SongState], HttpResponse]:
    def answer(state: SongState) -> HttpResponse:
        return (_group_part if _is_group(state.plan, key) else strip_part)(request, state, key)

    return answer


def _group_part(
    request: HttpRequest, opened: SongState, key: str, errors: Errors = NO_ERRORS, status: int = 200
) -> HttpResponse:
    is_open = inputs(request).text("is_open") != "no"
    group = group_context(opened.plan, item_or_404(opened.plan.groups, key), is_open=is_open, errors=errors)
    context = {**frame_context(opened, "returns"), "strip": group, "is_part": True}
    return render(request, f"{TEMPLATE}#group-answer", context, status=status)
