"""The chain of an open return: its steps added, removed, put in order, switched on and off."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.desk.context import edited, item_or_404, open_song, refused
from hallweb.desk.views.returns import band_part
from highhall.plan import Plan
from highhall.plan.edits import add_step, place_step, remove_step, set_step
from highhall.plan.starting_points import STARTING_POINTS

_POINTS = {point.id: point for point in STARTING_POINTS}


@login_required
@require_POST
def add(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Add a starting point as the last step of a return's chain."""
    item_or_404(open_song(request, song_id).plan.returns, key)
    point = _POINTS.get(request.POST.get("start", ""))
    if point is None:
        return refused(request, f"Choose a step to add, such as {STARTING_POINTS[0].name}.")
    return edited(
        request,
        song_id,
        f"Add {point.kind}",
        lambda plan: add_step(plan, key, point.step),
        lambda state: band_part(request, state, key),
    )


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
    label = f"{words.get(what, what)}: {step.kind}, {return_.name}"
    return edited(request, song_id, label, edit, lambda state: band_part(request, state, key))
