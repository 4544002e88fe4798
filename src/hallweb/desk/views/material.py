"""The Song screen: bring stems in, and see what each is like and where it plays."""

from collections.abc import Callable
from typing import Any
from urllib.parse import unquote

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from hallweb.desk.charts import wave_picture
from hallweb.desk.context import (
    changed,
    edited,
    frame_context,
    item_or_404,
    open_song,
    refused,
    sentence_of,
    show_screen,
)
from hallweb.desk.entry import EntryError, entry_text, parse_entry
from hallweb.songs import actions
from hallweb.songs.actions import SongState
from hallweb.songs.material import StemReading, stem_reading
from hallweb.songs.models import Song, Stem
from hallweb.songs.uploads import receive_stem
from highhall.errors import CoreError
from highhall.plan import Plan, Track
from highhall.plan.edits import remove_track, set_track
from highhall.plan.kinds import LEVEL, PAN

TEMPLATE = "desk/song.html"
WAVE_WIDTH, WAVE_HEIGHT = 460, 36


@login_required
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show all tracks over the song's sections."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "song", TEMPLATE, _tracks(opened))


def sheet(request: HttpRequest, opened: SongState) -> HttpResponse:
    """Return the sheet alone, drawn anew."""
    context = {**frame_context(opened, "song"), **_tracks(opened), "is_part": True}
    return render(request, f"{TEMPLATE}#sheet", context)


def _tracks(opened: SongState) -> dict[str, Any]:
    plan = opened.plan
    waiting = Stem.objects.filter(song=opened.song).exclude(path__in=[track.stem for track in plan.tracks]).count()
    return {"rows": [_row(plan, track) for track in plan.tracks], "waiting": waiting, **_common(plan)}


def _common(plan: Plan) -> dict[str, Any]:
    scale = WAVE_WIDTH / plan.song.end_sample
    time = plan.song.time
    return {
        "wave_width": WAVE_WIDTH,
        "section_lines": [(time.sample_at(s.start) * scale, s.name) for s in plan.song.sections],
        "group_choices": [("", "Main"), *((group.id, group.name) for group in plan.groups)],
    }


def _row(plan: Plan, track: Track) -> dict[str, Any]:
    group = next((g.name for g in plan.groups if g.id == track.group), "")
    return {
        "track": track,
        "group": group,
        "level": entry_text(LEVEL, track.level_db),
        "pan": entry_text(PAN, track.pan),
    }


@login_required
@require_POST
def receive(request: HttpRequest, song_id: int) -> JsonResponse:
    """Take one file's bytes as the body, its name in a header; answer with its name or what is wrong with it."""
    song = get_object_or_404(Song.objects.visible_to(request.user), pk=song_id)
    name = unquote(request.headers.get("X-File-Name", ""))
    try:
        stem = receive_stem(song, name, request.read)
    except CoreError as error:
        return JsonResponse({"error": sentence_of(error)}, status=422)
    except OSError as error:
        if error.errno != 28:  # no space left on device
            raise
        return JsonResponse(
            {"error": f'The disk is full: "{name}" was not stored. Make room and send it again.'}, status=422
        )
    return JsonResponse({"path": stem.path})


@login_required
@require_POST
def take(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make tracks of the stems that came in."""
    return changed(request, song_id, actions.take_stems, lambda state: sheet(request, state))


@login_required
@require_POST
def set_value(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Set one field of a track: name, group, level, pan or mute."""
    plan = open_song(request, song_id).plan
    track = item_or_404(plan.tracks, key)
    try:
        change, what = _change(track, request.POST.get("field", ""), request.POST.get("value", ""))
    except EntryError as error:
        return refused(request, f"{track.name}: {error}")
    return edited(request, song_id, f"{what}, {track.name}", change, lambda state: sheet(request, state))


def _change(track: Track, field: str, text: str) -> tuple[Callable[[Plan], Plan], str]:
    """Return an edit and what it changes."""
    fields: dict[str, Any]
    match field:
        case "name":
            name = text.strip()
            if not 1 <= len(name) <= 120:
                raise EntryError("Type a name of 1 to 120 characters.")
            fields, what = {"name": name}, "Name"
        case "group":
            fields, what = {"group": text or None}, "Group"
        case "level_db":
            fields, what = {"level_db": parse_entry(LEVEL, text)}, "Level"
        case "pan":
            fields, what = {"pan": parse_entry(PAN, text)}, "Pan"
        case "mute":
            fields, what = {"mute": not track.mute}, "Mute"
        case _:
            raise Http404
    return (lambda plan: set_track(plan, track.id, **fields)), what


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Remove a track with its sends; undo brings it back, its stem stays."""
    plan = open_song(request, song_id).plan
    track = item_or_404(plan.tracks, key)
    label = f"Remove {track.name}"
    return edited(request, song_id, label, lambda p: remove_track(p, key), lambda state: sheet(request, state))


@login_required
def reading(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return what one stem is like; each row asks for its own, so that the page need not wait for any."""
    opened = open_song(request, song_id)
    track = item_or_404(opened.plan.tracks, key)
    try:
        found = stem_reading(opened.song.pk, opened.plan, track)
    except (CoreError, Stem.DoesNotExist) as error:
        text = sentence_of(error) if isinstance(error, CoreError) else "Its stem is missing."
        return render(request, f"{TEMPLATE}#reading", {"problem": text})
    song = opened.plan.song
    wave = wave_picture(
        found.overview, found.seconds, track.start_s, found.phrases, song, WAVE_WIDTH, WAVE_HEIGHT
    )  # fmt: skip
    context = {"reading": found, "wave": wave, "warnings": _warnings(found), **_common(opened.plan)}
    return render(request, f"{TEMPLATE}#reading", context)


def _warnings(found: StemReading) -> list[str]:
    """Return what to beware of in a stem, each in a few words."""
    warnings = []
    if found.peak_db is None:
        warnings.append("silent from end to end")
    if found.clipped_samples:
        warnings.append(f"{found.clipped_samples} samples clipped")
    if found.dc > 0.003:
        warnings.append(f"DC offset {found.dc * 100:.1f} %")
    return warnings
