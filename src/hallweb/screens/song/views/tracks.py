"""Edits of tracks and groups, one or many at once."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.analysis.tasks import ask_to_analyse
from hallweb.inputs import inputs, item_or_404
from hallweb.screens.common.context import edited, open_song, refused
from hallweb.screens.song.context import page
from hallweb.songs.models import Stem
from highhall.errors import CoreError
from highhall.plan import Edit, Plan, Track
from highhall.plan import edits as plan_edits
from highhall.plan.edits.fields import GroupFields
from highhall.plan.kinds import LEVEL, PAN
from highhall.wording import EntryError, parse_name


def _chosen(request: HttpRequest, plan: Plan) -> list[Track]:
    """Return the tracks that a form names, in the plan's order; 404 if one of them is not there."""
    ids = set(inputs(request).texts("track"))
    tracks = [track for track in plan.tracks if track.id in ids]
    if not tracks or len(tracks) < len(ids):
        raise Http404
    return tracks


def _named(tracks: list[Track]) -> str:
    return tracks[0].name if len(tracks) == 1 else f"{len(tracks)} tracks"


@login_required
@require_POST
def set_values(request: HttpRequest, song_id: int) -> HttpResponse:
    """Set one field of tracks: name, group, level, pan, mute or stem; or nudge their levels."""
    plan = open_song(request, song_id).plan
    tracks = _chosen(request, plan)
    try:
        edit, what = _change(tracks, inputs(request).text("field"), inputs(request).text("value"))
    except EntryError as error:
        return refused(request, f"{_named(tracks)}: {error}")
    return edited(request, song_id, f"{what}, {_named(tracks)}", edit, lambda state: page(request, state))


def _change(tracks: list[Track], field: str, text: str) -> tuple[Edit, str]:
    """Return an edit and what it changes."""
    ids = [track.id for track in tracks]
    fields: dict[str, Any]
    match field:
        case "name":
            fields, what = {"name": parse_name(text)}, "Name"
        case "group":
            fields, what = {"group": text or None}, "Group"
        case "level_db":
            fields, what = {"level_db": LEVEL.read(text)}, "Level"
        case "pan":
            fields, what = {"pan": PAN.read(text)}, "Pan"
        case "mute":
            fields, what = {"mute": not all(track.mute for track in tracks)}, "Mute"
        case "nudge":
            by_db = LEVEL.read(text)
            if not isinstance(by_db, (int, float)):
                raise EntryError("Type a number of dB such as 2 or -1.5.")
            return (lambda plan: plan_edits.nudge_levels(plan, ids, float(by_db))), "Nudge"
        case _:
            raise Http404
    return (lambda plan: plan_edits.set_tracks(plan, ids, **fields)), what


@login_required
@require_POST
def place(request: HttpRequest, song_id: int) -> HttpResponse:
    """Put tracks in front of another one, at the end, or one place up or down."""
    plan = open_song(request, song_id).plan
    tracks = _chosen(request, plan)
    before = _before(plan, tracks, inputs(request).text("before"), inputs(request).text("step"))
    ids = [track.id for track in tracks]
    return edited(
        request,
        song_id,
        f"Order, {_named(tracks)}",
        lambda p: plan_edits.place_tracks(p, ids, before),
        lambda state: page(request, state),
    )


def _before(plan: Plan, tracks: list[Track], before: str, step: str) -> str | None:
    order = [track.id for track in plan.tracks]
    if step == "up":
        return order[max(order.index(tracks[0].id) - 1, 0)]
    if step == "down":
        following = order.index(tracks[-1].id) + 2
        return order[following] if following < len(order) else None
    if before and before not in order:
        raise Http404
    return before or None


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int) -> HttpResponse:
    """Remove tracks with their sends; undo brings them back, their stems stay."""
    tracks = _chosen(request, open_song(request, song_id).plan)
    ids = [track.id for track in tracks]
    label = f"Remove {_named(tracks)}"
    return edited(
        request, song_id, label, lambda p: plan_edits.remove_tracks(p, ids), lambda state: page(request, state)
    )


@login_required
@require_POST
def replace_stem(request: HttpRequest, song_id: int) -> HttpResponse:
    """Let a track play another stem that came in; all that is built on the track stays."""
    opened = open_song(request, song_id)
    (track,) = _chosen(request, opened.plan)
    stem = Stem.objects.filter(song=opened.song, path=inputs(request).text("path")).first()
    if stem is None:
        raise Http404
    ask_to_analyse([stem], opened.plan.song.sample_rate)
    return edited(
        request,
        song_id,
        f"Replace the stem of {track.name}",
        lambda plan: plan_edits.set_tracks(plan, [track.id], stem=stem.path),
        lambda state: page(request, state),
    )


@login_required
@require_POST
def add_group(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a group with the chosen tracks in it."""
    plan = open_song(request, song_id).plan
    ids = [track.id for track in _chosen(request, plan)] if inputs(request).texts("track") else []
    try:
        name = inputs(request).read("name", parse_name)
    except EntryError as error:
        return refused(request, f"New group: {error}")
    return edited(
        request,
        song_id,
        f"New group {name}",
        lambda p: plan_edits.add_group(p, name, ids),
        lambda state: page(request, state),
    )


@login_required
@require_POST
def set_group(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set a group's name, level or mute, as `field` says."""
    plan, said = open_song(request, song_id).plan, inputs(request)
    group = item_or_404(plan.groups, key)
    fields: GroupFields
    try:
        match said.text("field"):
            case "name":
                what, fields = "Name", {"name": said.read("value", parse_name)}
            case "level_db":
                level_db: Any = said.read("value", LEVEL.read)
                what, fields = "Level", {"level_db": level_db}
            case "mute":
                what, fields = "Mute", {"mute": not group.mute}
            case _:
                raise Http404
    except (EntryError, CoreError) as error:
        return refused(request, f"{group.name}: {error}")
    return edited(
        request,
        song_id,
        f"{what}, {group.name}",
        lambda p: plan_edits.set_group(p, key, **fields),
        lambda state: page(request, state),
    )


@login_required
@require_POST
def remove_group(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove a group; its tracks go to main."""
    group = item_or_404(open_song(request, song_id).plan.groups, key).name
    return edited(
        request,
        song_id,
        f"Remove group {group}",
        lambda p: plan_edits.remove_group(p, key),
        lambda state: page(request, state),
    )
