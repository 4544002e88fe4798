"""The list of songs: found, sorted, made, named, copied, deleted and brought back."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.timezone import localdate
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import editable_song, owned_song, user_of, viewable_song
from hallweb.analysis.tasks import ask_to_analyse
from hallweb.audition.background import MeasurementError
from hallweb.audition.rooms import rooms_of
from hallweb.inputs import inputs
from hallweb.screens.common.context import refused, sentence_of
from hallweb.screens.common.downloads import not_saved, streamed_archive
from hallweb.screens.common.htmx import vary_on_part, wants_part
from hallweb.screens.songs.context import shared_scale, songs_context
from hallweb.screens.songs.silhouettes import HEIGHT, LINES_Y, WIDTH, silhouette
from hallweb.songs import removal, song_files
from hallweb.songs.actions import copy_song, create_song, edit_plan
from hallweb.songs.demo import create_demo_song
from hallweb.songs.models import Song
from highhall.errors import CoreError
from highhall.plan import Plan, PlanRefusedError, plan_from_document
from highhall.plan.edits import free_name, rename_song
from highhall.plan.format import FORMAT, VERSION

TEMPLATE = "songs/page.html"
_FIRST_BARS = 8
_FIRST_TIME = {"bpm": "120", "beat": "1/4", "meter": "4/4"}


@login_required
@require_safe
def song_list(request: HttpRequest) -> HttpResponse:
    """Show the user's songs, or only the part of the page that lists them, and how to start one."""
    name = f"{TEMPLATE}#songs" if wants_part(request) else TEMPLATE
    return vary_on_part(render(request, name, songs_context(request)))


def _listed(request: HttpRequest, words: str, bring_back: Song | None = None) -> HttpResponse:
    """Answer with the list as it is now and a sentence; `bring_back` is offered beside it."""
    context = {**songs_context(request), "said": words, "bring_back": bring_back}
    return render(request, f"{TEMPLATE}#songs", context)


@login_required
@require_POST
def new_song(request: HttpRequest) -> HttpResponse:
    """Make an empty song of eight bars; stems make it longer."""
    typed = {name: inputs(request).text(name).strip() for name in ("title", "bpm", "beat", "meter")}
    try:
        plan = _empty_plan(typed)
    except PlanRefusedError as error:
        problem = sentence_of(error)
    except ValueError:
        problem = "Type the tempo as a number such as 104, and the meter as 4/4 or 6/8."
    else:
        return redirect("song:show", create_song(user_of(request), plan, lambda _: None).pk)
    return render(request, TEMPLATE, songs_context(request, typed=typed, problem=problem), status=422)


@login_required
@require_POST
def new_song_for_stems(request: HttpRequest) -> JsonResponse:
    """Make an empty song for stems that are brought to the list; answer where they go."""
    titles = set(Song.objects.owned_by(request.user).values_list("title", flat=True))
    title = free_name(inputs(request).text("title").strip()[:110] or "New song", titles)
    try:
        plan = _empty_plan({"title": title, **_FIRST_TIME})
    except PlanRefusedError as error:
        return JsonResponse({"error": sentence_of(error)}, status=422)
    song = create_song(user_of(request), plan, lambda _: None)
    names = {"uploads": "uploads:begin-stem", "take": "song:take-stems", "map": "song:import-map", "page": "song:show"}
    return JsonResponse({key: reverse(name, args=[song.pk]) for key, name in names.items()})


def _empty_plan(typed: dict[str, str]) -> Plan:
    """Return a plan of some bars with nothing in it; ValueError if tempo or meter are no numbers."""
    beats, _, unit = typed["meter"].partition("/")
    bpm, meter = float(typed["bpm"].replace(",", ".")), {"bar": 1, "beats": int(beats), "unit": int(unit)}
    song = {
        "title": typed["title"],
        "sample_rate": 48000,
        "meters": [meter],
        "tempos": [{"at": "1|1", "bpm": bpm, "beat": typed["beat"]}],
        "end": f"{_FIRST_BARS + 1}|1",
    }
    return plan_from_document({"format": FORMAT, "version": VERSION, "song": song})


@login_required
@require_POST
def make_demo_song(request: HttpRequest) -> HttpResponse:
    """Make another copy of the demo song for this user."""
    song = create_demo_song(user_of(request))
    ask_to_analyse(song.stems.all(), song.sample_rate)
    return redirect(song)


@login_required
@require_safe
def save_all(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Return all songs of the user in one archive, each as a file of its own, while it is made."""
    try:
        return streamed_archive(song_files.all_songs(user_of(request)), f"High Hall songs {localdate():%Y-%m-%d}.zip")
    except CoreError as error:
        return not_saved(request, error)


@login_required
@require_POST
def rename(request: HttpRequest, song_id: int) -> HttpResponse:
    """Give a song another title; it is an edit of its plan, which undo takes back."""
    song = editable_song(request, song_id)
    title = inputs(request).text("title").strip()
    number = song.head.number if song.head else -1
    try:
        edit_plan(song.pk, number, f"Title {title}", lambda plan: rename_song(plan, title), user_of(request))
    except CoreError as error:
        return refused(request, sentence_of(error))
    return _listed(request, f"{song.title} is called {title} now.")


@login_required
@require_POST
def duplicate(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make a song of its own from the newest plan of another, with its stems."""
    song = editable_song(request, song_id)
    copy = copy_song(song, user_of(request))
    return _listed(request, f"{copy.title} was made from {song.title}.")


@login_required
@require_POST
def delete(request: HttpRequest, song_id: int) -> HttpResponse:
    """Take a song out of the list, to be brought back for some weeks."""
    song = owned_song(request, song_id)
    removal.delete_song(song)
    return _listed(request, f"{song.title} was deleted; it can be brought back for {removal.KEPT.days} days.", song)


@login_required
@require_POST
def bring_back(request: HttpRequest, song_id: int) -> HttpResponse:
    """Put a deleted song into the list again."""
    song = _deleted(request, song_id)
    removal.bring_back(song)
    return _listed(request, f"{song.title} is back.")


@login_required
@require_POST
def delete_now(request: HttpRequest, song_id: int) -> HttpResponse:
    """Remove a deleted song and its files for good."""
    song = _deleted(request, song_id)
    removal.remove_for_good(song)
    return _listed(request, f"{song.title} and its files are gone.")


@login_required
@require_safe
def picture(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return a song's silhouette as it is now; until it is worked out, what asks again."""
    song = viewable_song(request, song_id)
    try:
        rooms = rooms_of(song, song.head) if song.head else []
    except MeasurementError as error:
        return render(request, f"{TEMPLATE}#no-picture", {"problem": str(error)})
    drawn = None if rooms is None else silhouette(rooms, shared_scale(request.user))
    context = {"song": song, "silhouette": drawn, "lines": LINES_Y, "picture": {"width": WIDTH, "height": HEIGHT}}
    return render(request, f"{TEMPLATE}#picture", {**context, "is_early": drawn is None})


def _deleted(request: HttpRequest, song_id: int) -> Song:
    return get_object_or_404(Song.objects.deleted_by(request.user), pk=song_id)
