"""The Returns screen: one band a return, one of them open."""

from collections.abc import Iterable
from dataclasses import replace
from itertools import groupby
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from hallweb.desk.charts import HIT_X, looks, skyline, time_grid, time_picture, tone_picture
from hallweb.desk.context import edited, frame_context, item_or_404, open_song, refused, show_screen
from hallweb.desk.echo_charts import echo_picture
from hallweb.desk.entry import EntryError, parse_entry
from hallweb.desk.fields import BAND_NAMES, field_groups
from hallweb.desk.templatetags.figures import figure
from hallweb.songs.actions import SongState
from highhall.plan import Band, Plan, PlanRefusedError, Return, Step
from highhall.plan.edits import add_return, id_from_name, remove_return, set_return, set_step
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, LEVEL, PAN, WIDTH, Parameter
from highhall.plan.model import ParameterValue
from highhall.plan.starting_points import STARTING_POINTS, StartingPoint

TEMPLATE = "desk/returns.html"
Errors = dict[str, tuple[str, str]]

_NEW_BANDS = {
    "low_cut": 200.0,
    "high_cut": 8000.0,
    "bell": 1000.0,
    "low_shelf": 250.0,
    "high_shelf": 4000.0,
    "notch": 1000.0,
}
_STARTS = {point.id: point for point in STARTING_POINTS if KINDS[point.kind].makes_wet}
_LOW_CUT = Band(shape="low_cut", hz=200.0)


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show all returns, the one named by `open` opened."""
    opened = open_song(request, song_id)
    open_key = request.GET.get("open", opened.plan.returns[0].id if opened.plan.returns else "")
    return show_screen(request, opened, "returns", TEMPLATE, _bench(opened, open_key))


def sheet(request: HttpRequest, opened: SongState, open_key: str) -> HttpResponse:
    """Return the sheet alone, drawn anew."""
    context = {**frame_context(opened, "returns"), **_bench(opened, open_key), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


def _bench(opened: SongState, open_key: str) -> dict[str, Any]:
    plan = opened.plan
    return {
        "bands": [_band(plan, r, is_open=r.id == open_key) for r in plan.returns],
        "grid": time_grid(plan.song),
        "hit_x": HIT_X,
        "open_key": open_key,
        "starts": _by_kind(_STARTS.values()),
    }


def _by_kind(points: Iterable[StartingPoint]) -> list[tuple[str, list[StartingPoint]]]:
    return [(kind, list(of_kind)) for kind, of_kind in groupby(points, key=lambda point: point.kind)]


def _band(plan: Plan, return_: Return, *, is_open: bool, errors: Errors | None = None) -> dict[str, Any]:
    names = {i.id: i.name for items in (plan.tracks, plan.groups, plan.returns) for i in items}
    feeds = [
        {
            "name": names[send.source],
            "send": send,
            "share": max(0.0, min(1.0, ((-60.0 if send.level_db is None else send.level_db) + 36) / 42)),
        }
        for send in plan.sends_into(return_.id)
    ]
    output = next((group.name for group in plan.groups if group.id == return_.output), "Main")
    return {
        "return": return_,
        "look": looks(plan.returns)[return_.id],
        "is_open": is_open,
        "time": time_picture(plan, return_),
        "echo": echo_picture(plan, return_),
        "tone": tone_picture(plan, return_, 428 if is_open else 92, 168 if is_open else 40),
        "skyline": skyline(plan, return_),
        "feeds": feeds,
        "output": output,
        "width_percent": figure(return_.width * 100, 0),
        "groups": list(field_groups(plan, return_, errors or {})) if is_open else [],
        "band_shapes": BAND_NAMES.items(),
        "steps_to_add": _by_kind(STARTING_POINTS),
    }


def band_part(
    request: HttpRequest, opened: SongState, key: str, errors: Errors | None = None, status: int = 200
) -> HttpResponse:
    """Return one band drawn anew, with the history."""
    return_ = item_or_404(opened.plan.returns, key)
    is_open = request.POST.get("is_open") != "no"
    band = _band(opened.plan, return_, is_open=is_open, errors=errors)
    context = {**frame_context(opened, "returns"), "band": band, "grid": time_grid(opened.plan.song), "is_part": True}
    return render(request, f"{TEMPLATE}#band-answer", context, status=status)


@login_required
@require_POST
def add(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a return with a starting point and a low cut, and open it."""
    point = _STARTS.get(request.POST.get("start", ""))
    if point is None:
        return refused(request, f"Choose what to start with, such as {next(iter(_STARTS.values())).name}.")
    name = point.name
    added_id = ""

    def edit(plan: Plan) -> Plan:
        nonlocal added_id
        names = {r.name for r in plan.returns}
        free = next(n for n in (name, *(f"{name} {i}" for i in range(2, 1000))) if n not in names)
        chain = (
            replace(point.step, id="space" if point.kind == "reverb" else point.kind),
            Step(id="tone", kind="tone", params={"bands": (_LOW_CUT,)}),
        )
        plan, added_id = add_return(plan, free, chain, level_db=0.0)
        return plan

    return edited(request, song_id, f"Add {name}", edit, lambda state: sheet(request, state, added_id))


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove a return with what feeds it; undo brings it back."""
    opened = open_song(request, song_id)
    name = item_or_404(opened.plan.returns, key).name
    return edited(
        request,
        song_id,
        f"Remove {name}",
        lambda plan: remove_return(plan, key),
        lambda state: sheet(request, state, ""),
    )


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set one field of a return; `path` says which, `value` is what was typed."""
    opened = open_song(request, song_id)
    return_ = item_or_404(opened.plan.returns, key)
    path, text = request.POST.get("path", ""), request.POST.get("value", "")
    try:
        change, what = _change(return_, path, text)
    except EntryError as error:
        return band_part(request, opened, key, {path: (text, str(error))}, status=422)
    except (KeyError, IndexError, ValueError):
        raise Http404 from None
    try:
        change(opened.plan)
    except PlanRefusedError as error:
        problem = error.problems[0].text
        return band_part(request, opened, key, {path: (text, f"{problem[:1].upper()}{problem[1:]}.")}, status=422)
    label = f"{what}, {return_.name}"
    return edited(request, song_id, label, change, lambda state: band_part(request, state, key))


def _change(return_: Return, path: str, text: str) -> Any:  # noqa: ANN401 - (edit, what it changes)
    """Return the edit that a field's path and text stand for, and its name."""
    match path.split("/"):
        case ["return", "name"]:
            name = text.strip()
            if not 1 <= len(name) <= 120:
                raise EntryError("Type a name of 1 to 120 characters.")
            return (lambda plan: set_return(plan, return_.id, name=name)), "Name"
        case ["return", "mute"]:
            return (lambda plan: set_return(plan, return_.id, mute=not return_.mute)), "Mute"
        case ["return", "output"]:
            return (lambda plan: set_return(plan, return_.id, output=text)), "Output"
        case ["return", name]:
            parameter = {"level_db": LEVEL, "width": WIDTH, "pan": PAN}[name]
            value = parse_entry(parameter, text)
            return (lambda plan: set_return(plan, return_.id, **{name: value})), parameter.name.split("_")[
                0
            ].capitalize()
        case ["step", step_id, name]:
            parameter = KINDS[return_.step(step_id).kind].parameter(name)
            return _step_edit(return_, step_id, {name: parse_entry(parameter, text)}), _spoken(parameter)
        case ["band", step_id, index, name]:
            return _band_edit(return_, step_id, int(index), name, text)
    raise KeyError(path)


def _spoken(parameter: Parameter) -> str:
    return parameter.name.removesuffix("_s").removesuffix("_db").replace("_", " ").capitalize()


def _step_edit(return_: Return, step_id: str, params: dict[str, ParameterValue]) -> Any:  # noqa: ANN401
    return lambda plan: set_step(plan, return_.id, step_id, params=params)


def _band_edit(return_: Return, step_id: str, index: int, name: str, text: str) -> Any:  # noqa: ANN401
    bands = return_.step(step_id).bands
    band = bands[index]
    value: ParameterValue
    if name == "slope_db_oct":
        value = int(text)
    else:
        value = parse_entry(next(p for p in BAND_PARAMETERS if p.name == name), text)
    fields: dict[str, Any] = {name: value}
    changed = replace(band, **fields)
    all_bands = (*bands[:index], changed, *bands[index + 1 :])
    return _step_edit(return_, step_id, {"bands": all_bands}), BAND_NAMES[band.shape]


@login_required
@require_POST
def add_band(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Add a filter band to a return's last tone step; a chain without one gets it."""
    shape = request.POST.get("shape", "")
    if shape not in _NEW_BANDS:
        return refused(request, f"Choose a filter: {', '.join(BAND_NAMES.values())}.")
    band = Band(shape=shape, hz=_NEW_BANDS[shape])

    def edit(plan: Plan) -> Plan:
        return_ = plan.return_(key)
        tone = next((s for s in reversed(return_.chain) if s.kind == "tone"), None)
        if tone is None:
            step_id = id_from_name("tone", {s.id for s in return_.chain})
            added = Step(id=step_id, kind="tone", params={"bands": (band,)})
            return set_return(plan, key, chain=(*return_.chain, added))
        return set_step(plan, key, tone.id, params={"bands": (*tone.bands, band)})

    return edited(
        request, song_id, f"Add {BAND_NAMES[shape].lower()}", edit, lambda state: band_part(request, state, key)
    )


@login_required
@require_POST
def remove_band(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove one filter band, named as STEP/INDEX."""
    step_id, _, index_text = request.POST.get("band", "").partition("/")
    if not index_text.isdecimal():
        raise Http404

    def edit(plan: Plan) -> Plan:
        bands = plan.return_(key).step(step_id).bands
        index = int(index_text)
        return set_step(plan, key, step_id, params={"bands": (*bands[:index], *bands[index + 1 :])})

    return edited(request, song_id, "Remove filter", edit, lambda state: band_part(request, state, key))
