"""What was measured of a return, for behind its pictures; asked for after the strip is there, since it may be rendered first."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from hallweb.analysis.chains import chain_picture
from hallweb.analysis.feeds import feed_bands
from hallweb.audition.background import MeasurementError
from hallweb.audition.spectra import lane_reading
from hallweb.inputs import inputs, item_or_none
from hallweb.screens.common.context import open_song
from hallweb.screens.common.htmx import nothing_to_show
from hallweb.screens.returns.context import ReturnsState
from hallweb.screens.returns.spectrum_charts import hit_points, spectrum_picture
from hallweb.screens.returns.time_axis import TimeAxis
from hallweb.songs.sounds import song_sounds
from highhall.advise import build_up_db
from highhall.errors import CoreError

_PART = "returns/measured.html"


@login_required
@require_safe
def spectrum(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return the measured spectrum of a return in a section, or over the whole song; until it is there, what asks again."""
    opened = open_song(request, song_id)
    plan = opened.plan
    return_ = item_or_none(plan.returns, key)
    if return_ is None:
        return nothing_to_show()
    time, rate = plan.song.time, plan.song.sample_rate
    section = inputs(request).item_or_none("section", plan.song.sections)
    start, stop = (time.sample_at(section.start), time.sample_at(section.end)) if section else (0, plan.song.end_sample)
    try:
        reading = lane_reading(opened.song.pk, opened.revision, key, start, stop, rate)
    except MeasurementError as error:
        return render(request, f"{_PART}#spectrum", {"problem": str(error), "strip": {"return": return_}})
    if reading is None:
        return render(request, f"{_PART}#measuring", {"song": opened.song, "return": return_})
    feeds = feed_bands(opened.song.pk, plan, key, start / rate, stop / rate)
    sounding = int((feeds.sum(axis=1) > 0).sum())
    where = section.name if section else "the whole song"
    picture = spectrum_picture(reading, build_up_db(feeds), sounding, where)
    return render(request, f"{_PART}#spectrum", {"spectrum": picture, "where": where, "strip": {"return": return_}})


@login_required
@require_safe
def hit(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return the rendered answer of a return to one hit."""
    opened = open_song(request, song_id)
    return_ = item_or_none(opened.plan.returns, key)
    if return_ is None:
        return nothing_to_show()
    state = ReturnsState.of(request, opened.plan.song, key)
    try:
        picture = chain_picture(song_sounds(song_id), opened.plan, return_)
    except CoreError:
        picture = None  # the strip itself says that the return cannot sound
    axis = TimeAxis(opened.plan.song, state.at, state.beats)
    return render(request, f"{_PART}#hit", {"points": hit_points(picture, axis) if picture else ""})
