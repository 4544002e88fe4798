"""Points of a move: set one by one, or ridden while the song plays."""

import json
from itertools import pairwise

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import inputs
from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.moves.entry import parse_value, posted_targets
from hallweb.screens.moves.targets import target_label
from hallweb.screens.moves.views.moves import page
from highhall.advise.rides import thinned
from highhall.errors import CoreError
from highhall.plan import Plan, Point, Target
from highhall.plan.edits import set_points
from highhall.plan.kinds import LEVEL, Scale
from highhall.plan.move_table import target_place
from highhall.plan.references import movable_parameter
from highhall.wording import EntryError, parse_position

_RIDE_TOLERANCE_DB = 0.5
_LONGEST_RIDE = 20_000


@login_required
@require_POST
def change_points(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add, move or remove a point, remove all, or take up a ride: samples and values, thinned to few points."""
    post, plan = inputs(request), open_song(request, song_id).plan
    (target,) = posted_targets(plan, [post.text("target")])
    move = plan.move(target)
    points = list(move.points) if move else []
    try:
        match post.text("do"):
            case "add":
                at = post.read("at", parse_position)
                value = parse_value(plan, target, post.text("value"))
                shape = "hold" if post.text("shape") == "hold" else "linear"
                points = [*(p for p in points if p.at != at), Point(at=at, value=value, shape=shape)]
                label = f"Point at {at.bar}"
            case "remove":
                at = post.read("at", parse_position)
                points = [point for point in points if point.at != at]
                label = f"Remove point at {at.bar}"
            case "clear":
                points, label = [], "Remove all points"
            case "ride":
                points = _with_ride(plan, target, points, post.long_text("ride"))
                label = "Ride"
            case _:
                raise Http404
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    label = f"{label}, {target_place(plan, target)}: {target_label(plan, target).lower()}"
    return edited(request, song_id, label, lambda p: set_points(p, target, points), lambda state: page(request, state))


def _with_ride(plan: Plan, target: Target, points: list[Point], text: str) -> list[Point]:
    """Return the points with those of a ride, [[sample, value], ...], in place of what was there meanwhile.

    Raises
    ------
    EntryError
        If it is no ride.
    """
    parameter = movable_parameter(plan, target)
    try:
        ridden = [(int(sample), float(value)) for sample, value in json.loads(text)]
    except (TypeError, ValueError):
        ridden = []
    in_order = all(a[0] < b[0] for a, b in pairwise(ridden))
    if not 2 <= len(ridden) <= _LONGEST_RIDE or not in_order or ridden[0][0] < 0:
        raise EntryError("Hold the control while the song plays: a ride needs a moment of sound.")
    low, high = max(parameter.low, -60.0) if parameter.scale is Scale.LEVEL else parameter.low, parameter.high
    values = [min(max(value, low), high) for _, value in ridden]
    is_level = parameter.name == LEVEL.name
    tolerance = _RIDE_TOLERANCE_DB if is_level else (parameter.high - parameter.low) / 50
    kept = thinned([float(sample) for sample, _ in ridden], values, tolerance)
    time = plan.song.time
    first, last = ridden[0][0], ridden[-1][0]
    outside = [p for p in points if not first <= time.sample_at(p.at) <= last]
    made = [Point(at=time.position_at_sample(ridden[i][0]), value=round(values[i], 3)) for i in kept]
    return [*outside, *made]
