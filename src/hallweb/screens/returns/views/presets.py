"""Starting points tried by ear, and presets of returns: saved, applied, copied for a group, exported and imported."""

import json

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.utils.text import slugify
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import user_of
from hallweb.inputs import inputs, item_or_404, uploaded
from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.common.starting_points import STARTS
from hallweb.screens.returns.context import ReturnsState
from hallweb.screens.returns.presets_panel import presets_context
from hallweb.screens.returns.views.returns import page, strip_part
from hallweb.songs.actions import SongState
from hallweb.songs.models import Preset
from hallweb.songs.presets import preset_for, provide_shipped, remove_preset, save_preset
from highhall.errors import CoreError
from highhall.measure.predictions import loudness_gain_db
from highhall.plan import MAIN, Plan
from highhall.plan.edits import add_effect, exchange_effect, place_effect, set_return
from highhall.plan.json.reader import load_json
from highhall.plan.kinds import LEVEL
from highhall.plan.sets import ReturnSet, add_set, set_from_document, set_of, varied
from highhall.plan.starting_points import STARTING_SETS
from highhall.wording import EntryError, parse_name

_LARGEST_BYTES = 1 << 20
_SIZES, _STEPS = (0.25, 4.0), (-6, 6)


@login_required
@require_POST
def try_start(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Put a starting point in place of a return's first wet step, as loud as it was; the rest of the chain stays."""
    opened = open_song(request, song_id)
    return_ = item_or_404(opened.plan.returns, key)
    point = STARTS.get(inputs(request).text("start"))
    if point is None:
        raise Http404
    at = ReturnsState.of(request, opened.plan.song, key).at

    def edit(plan: Plan) -> Plan:
        current = plan.return_(key)
        first = next((s for s in current.chain if s.table.makes_wet), None)
        if first is None:
            changed = place_effect(add_effect(plan, key, point.effect), key, point.effect.id, -len(current.chain))
        else:
            changed = exchange_effect(plan, key, first.id, point.effect)
        level = current.level_db
        if level is not None:
            before, after = (loudness_gain_db(p.return_(key), plan.song, at) for p in (plan, changed))
            level = round(min(max(level + before - after, LEVEL.low), LEVEL.high), 1)
        return set_return(changed, key, level_db=level)

    return edited(
        request, song_id, f"Try {point.name}, {return_.name}", edit, lambda state: strip_part(request, state, key)
    )


@login_required
@require_POST
def save(request: HttpRequest, song_id: int) -> HttpResponse:
    """Save one return, or all of a song's, under a name with a note."""
    opened = open_song(request, song_id)
    wanted = inputs(request).text("return")
    keys = [r.id for r in opened.plan.returns if wanted in ("", r.id)]
    if not keys:
        return refused(request, "There is no return to save yet.")
    try:
        saved = set_of(
            opened.plan, keys, inputs(request).read("name", parse_name), inputs(request).text("note").strip()[:4000]
        )
        save_preset(user_of(request), saved, opened.song)
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    return _panel(request, opened, f"Saved {saved.name}.")


def _panel(request: HttpRequest, opened: SongState, said: str) -> HttpResponse:
    """Return the panel of presets with what was done; to a return's own drawer just that."""
    if inputs(request).text("return"):
        return render(request, "returns/presets.html#said", {"said": said})
    context = {
        "song": opened.song,
        "plan": opened.plan,
        "said": said,
        **presets_context(request, opened.plan, is_open=True),
    }
    return render(request, "returns/presets.html#panel", context)


@login_required
@require_POST
def apply(request: HttpRequest, song_id: int) -> HttpResponse:
    """Put a preset's returns into a song: one that ships, one of the user's, or the song's own for another group; varied as asked."""
    opened = open_song(request, song_id)
    try:
        chosen = _chosen_set(request, opened)
        size, steps = _variation(request)
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    output = inputs(request).text("output", MAIN)
    if output != MAIN:
        item_or_404(opened.plan.groups, output)
    first = ""

    def edit(plan: Plan) -> Plan:
        nonlocal first
        plan, ids = add_set(plan, varied(chosen, size=size, steps=steps), output=output)
        first = ids[0]
        return plan

    return edited(request, song_id, f"Apply {chosen.name}", edit, lambda state: page(request, state, first))


def _chosen_set(request: HttpRequest, opened: SongState) -> ReturnSet:
    kind, _, wanted = inputs(request).text("set").partition(":")
    match kind:
        case "start":
            found = next((s for s in STARTING_SETS if s.id == wanted), None)
            if found is None:
                raise Http404
            return ReturnSet(name=found.name, returns=found.made())
        case "preset":
            row = get_object_or_404(Preset, owner=request.user.pk, pk=wanted if wanted.isdecimal() else 0)
            chosen = preset_for(row, opened.song)
            provide_shipped(chosen, opened.song)
            return chosen
        case "all" | "return":
            keys = [r.id for r in opened.plan.returns if kind == "all" or r.id == wanted]
            if not keys:
                raise CoreError("there is no return to copy yet")
            return set_of(opened.plan, keys, "copies")
    raise Http404


def _variation(request: HttpRequest) -> tuple[float, int]:
    size_text, steps_text = inputs(request).text("size", "1"), inputs(request).text("steps", "0")
    try:
        size, steps = float(size_text.replace(",", ".").lstrip("\N{MULTIPLICATION SIGN}x ")), int(steps_text)
    except ValueError:
        raise EntryError(
            f'Type a size such as 1.3 and whole steps such as 1, not "{size_text}" and "{steps_text}".'
        ) from None
    if not (_SIZES[0] <= size <= _SIZES[1] and _STEPS[0] <= steps <= _STEPS[1]):
        raise EntryError(f"Size goes from {_SIZES[0]:g} to {_SIZES[1]:g}, steps from {_STEPS[0]} to {_STEPS[1]}.")
    return size, steps


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, preset_id: int) -> HttpResponse:
    """Remove one of the user's presets; songs keep the returns that it gave them."""
    opened = open_song(request, song_id)
    row = get_object_or_404(Preset, owner=request.user.pk, pk=preset_id)
    remove_preset(row)
    return _panel(request, opened, f"Removed {row.name}.")


@login_required
@require_safe
def export(request: HttpRequest, preset_id: int) -> HttpResponse:
    """Return a preset as a JSON file."""
    row = get_object_or_404(Preset, owner=request.user.pk, pk=preset_id)
    response = JsonResponse(row.document, json_dumps_params={"indent": 2, "ensure_ascii": False})
    response["Content-Disposition"] = f'attachment; filename="{slugify(row.name) or "returns"}.json"'
    return response


@login_required
@require_POST
def import_(request: HttpRequest, song_id: int) -> HttpResponse:
    """Save a preset from a JSON file."""
    opened = open_song(request, song_id)
    file = uploaded(request, "file")
    if file is None:
        return refused(request, "Choose a JSON file of returns to import.")
    if file.size is not None and file.size > _LARGEST_BYTES:
        return refused(request, f'"{file.name}" is larger than 1 MiB; a preset is a small JSON file.')
    try:
        saved = set_from_document(load_json(file.read().decode()))
        save_preset(user_of(request), saved, opened.song)
    except (UnicodeDecodeError, json.JSONDecodeError):
        return refused(request, f'"{file.name}" is not JSON; expected a preset that High Hall exported.')
    except CoreError as error:
        return refused(request, f'"{file.name}" cannot be imported: {_first_problem(error)}')
    return _panel(request, opened, f"Saved {saved.name}.")


def _first_problem(error: CoreError) -> str:
    return f"{str(error).splitlines()[0].rstrip('.')}."
