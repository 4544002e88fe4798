"""Ends of phrases that were found in a stem, put elsewhere by the user; they belong to the stem, not to the plan."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from hallweb.analysis.stems import put_phrase_end, stored_analysis
from hallweb.inputs import inputs
from hallweb.screens.common.context import open_song
from hallweb.screens.moves.entry import posted_targets
from hallweb.screens.moves.views.moves import page
from hallweb.songs.models import Stem
from highhall.plan import SendTarget

_DIGITS = 9


@login_required
@require_POST
def move_phrase_end(request: HttpRequest, song_id: int) -> HttpResponse:
    """Let a phrase of a send's source end at a sample of the song; without one it ends where that was found again."""
    opened, said = open_song(request, song_id), inputs(request)
    (target,) = posted_targets(opened.plan, [said.text("target")])
    track = next((t for t in opened.plan.tracks if isinstance(target, SendTarget) and t.id == target.source), None)
    number, sample = said.text("phrase"), said.text("sample")
    if track is None or not number.isdecimal() or len(number) > _DIGITS or (sample and not sample.isdecimal()):
        raise Http404
    stem = get_object_or_404(Stem, song=opened.song, path=track.stem)
    rate = opened.plan.song.sample_rate
    analysis = stored_analysis(stem, rate)
    if analysis is None or len(sample) > _DIGITS:
        raise Http404
    end_s = int(sample) / rate - track.start_s if sample else None
    try:
        put_phrase_end(stem, analysis, int(number), end_s)
    except LookupError:
        raise Http404 from None
    return page(request, opened)
