"""Filter bands of returns and of groups: added and removed; and the tone of groups."""

from collections.abc import Callable

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.screens.common.context import edited, frame_context, item_or_404, open_song, refused, sentence_of
from hallweb.screens.returns.changes import Change, group_change, posted_change
from hallweb.screens.returns.context import NO_ERRORS, Errors, group_context
from hallweb.screens.returns.tone_pictures import tone_picture
from hallweb.screens.returns.views.returns import TEMPLATE, band_part
from hallweb.songs.actions import SongState
from highhall.errors import CoreError
from highhall.plan import Band, Plan, Step
from highhall.plan.edits import id_from_name, set_group, set_return, set_step
from highhall.plan.kinds import SHAPES


@login_required
@require_POST
def add(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Add a filter band to a return's last tone step, or to a group; a chain without a tone step gets one."""
    shape = request.POST.get("shape", "")
    if shape not in SHAPES:
        return refused(request, f"Choose a filter: {', '.join(each.label for each in SHAPES.values())}.")
    band = Band(shape=shape, hz=SHAPES[shape].starts_at_hz)

    def edit(plan: Plan) -> Plan:
        if _is_group(plan, key):
            return set_group(plan, key, tone=(*plan.group(key).tone, band))
        return_ = item_or_404(plan.returns, key)
        tone = next((s for s in reversed(return_.chain) if s.table.bands), None)
        if tone is None:
            step_id = id_from_name("tone", {s.id for s in return_.chain})
            added = Step(id=step_id, kind="tone", params={"bands": (band,)})
            return set_return(plan, key, chain=(*return_.chain, added))
        return set_step(plan, key, tone.id, params={"bands": (*tone.bands, band)})

    return edited(request, song_id, f"Add {band.label.lower()}", edit, _answer(request, key))


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove one filter band, named as STEP/INDEX, or GROUP/INDEX."""
    step_id, _, index_text = request.POST.get("band", "").partition("/")
    if not index_text.isdecimal():
        raise Http404
    index = int(index_text)

    def edit(plan: Plan) -> Plan:
        if _is_group(plan, key):
            bands = plan.group(key).tone
            return set_group(plan, key, tone=(*bands[:index], *bands[index + 1 :]))
        bands = item_or_404(item_or_404(plan.returns, key).chain, step_id).bands
        return set_step(plan, key, step_id, params={"bands": (*bands[:index], *bands[index + 1 :])})

    return edited(request, song_id, "Remove filter", edit, _answer(request, key))


@login_required
@require_POST
def set_group_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set fields of a group's tone."""
    opened = open_song(request, song_id)
    group = item_or_404(opened.plan.groups, key)
    path, text = request.POST.get("path", ""), request.POST.get("value", "")

    def refuse(error: CoreError) -> HttpResponse:
        said = sentence_of(error)
        return _group_part(request, opened, key, {path: (text, said)}, status=422)

    try:
        change = _posted_change(request, opened.plan, key)
    except CoreError as error:
        return refuse(error)
    return edited(request, song_id, f"{change.what}, {group.name}", change.edit, _answer(request, key), refuse)


@login_required
@require_POST
def preview_group(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return the curve of a group's tone as it would be with the posted fields; nothing is stored."""
    opened = open_song(request, song_id)
    item_or_404(opened.plan.groups, key)
    try:
        plan = _posted_change(request, opened.plan, key).edit(opened.plan)
    except CoreError as error:
        return HttpResponse(sentence_of(error), status=422, content_type="text/plain; charset=utf-8")
    bands = [(f"band/{key}/{index}", band) for index, band in enumerate(plan.group(key).tone)]
    held = request.POST.get("held", "")
    context = {"owner": key, "tone": tone_picture(bands, plan.song.sample_rate, held=held)}
    return render(request, "returns/pictures.html#tone-large", context)


def _posted_change(request: HttpRequest, plan: Plan, key: str) -> Change:
    return posted_change(request.POST, plan, lambda newest, path, text: group_change(newest.group(key), path, text))


def _is_group(plan: Plan, key: str) -> bool:
    return any(group.id == key for group in plan.groups)


def _answer(request: HttpRequest, key: str) -> Callable[[SongState], HttpResponse]:
    def answer(state: SongState) -> HttpResponse:
        return (_group_part if _is_group(state.plan, key) else band_part)(request, state, key)

    return answer


def _group_part(
    request: HttpRequest, opened: SongState, key: str, errors: Errors = NO_ERRORS, status: int = 200
) -> HttpResponse:
    group = group_context(opened.plan, item_or_404(opened.plan.groups, key), is_open=True, errors=errors)
    context = {**frame_context(opened, "returns"), "band": group, "is_part": True}
    return render(request, f"{TEMPLATE}#group-answer", context, status=status)
