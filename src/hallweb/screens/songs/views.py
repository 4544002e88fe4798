"""The list of songs."""

from collections.abc import Mapping

from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from hallweb.analysis.tasks import ask_to_analyse
from hallweb.inputs import inputs
from hallweb.screens.common.context import sentence_of
from hallweb.songs.actions import create_song
from hallweb.songs.demo import create_demo_song
from hallweb.songs.models import Song
from highhall.plan import PlanRefusedError, plan_from_document
from highhall.plan.format import FORMAT, VERSION
from highhall.wording import BEATS

_FIRST_BARS = 8


@login_required
def song_list(request: HttpRequest) -> HttpResponse:
    """Show the user's songs, and how to start one."""
    return _listed(request, {}, "")


def _listed(request: HttpRequest, typed: Mapping[str, str], problem: str) -> HttpResponse:
    songs = Song.objects.visible_to(request.user).select_related("head").defer("head__document")
    context = {"songs": songs, "beats": BEATS, "typed": typed, "problem": problem}
    return render(request, "songs/page.html", context, status=422 if problem else 200)


@login_required
@require_POST
def new_song(request: HttpRequest) -> HttpResponse:
    """Make an empty song of eight bars; stems make it longer."""
    typed = {name: inputs(request).text(name).strip() for name in ("title", "bpm", "beat", "meter")}
    beats, _, unit = typed["meter"].partition("/")
    try:
        bpm, meter = float(typed["bpm"].replace(",", ".")), {"bar": 1, "beats": int(beats), "unit": int(unit)}
    except ValueError:
        return _listed(request, typed, "Type the tempo as a number such as 104, and the meter as 4/4 or 6/8.")
    document = {
        "format": FORMAT,
        "version": VERSION,
        "song": {
            "title": typed["title"],
            "sample_rate": 48000,
            "meters": [meter],
            "tempos": [{"at": "1|1", "bpm": bpm, "beat": typed["beat"]}],
            "end": f"{_FIRST_BARS + 1}|1",
        },
    }
    try:
        plan = plan_from_document(document)
    except PlanRefusedError as error:
        return _listed(request, typed, sentence_of(error))
    song = create_song(get_object_or_404(User, pk=request.user.pk), plan, lambda _: None)
    return redirect("song:show", song.pk)


@login_required
@require_POST
def make_demo_song(request: HttpRequest) -> HttpResponse:
    """Make another copy of the demo song for this user."""
    owner = get_object_or_404(User, pk=request.user.pk)
    song = create_demo_song(owner)
    ask_to_analyse(song.stems.all(), song.sample_rate)
    return redirect(song)
