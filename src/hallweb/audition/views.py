"""The list of segments of a song, and one segment."""

from functools import lru_cache

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_safe

from hallweb.access import viewable_song
from hallweb.audition.ahead import as_long_as_wanted, note_played
from hallweb.audition.background import SupersededError
from hallweb.audition.loudness import passage_loudness
from hallweb.audition.monitoring import Monitoring
from hallweb.audition.proposals import LostProposalError, is_proposal, is_rehearsal
from hallweb.audition.segments import (
    KEY_LENGTH,
    UnknownSegmentError,
    heard_plan,
    known_segments,
    lane_segments,
    render_segment,
    segment_address,
    told_fader,
)
from hallweb.inputs import inputs
from hallweb.songs.models import Revision, Song
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import song_sounds
from highhall.errors import CoreError
from highhall.plan import Song as PlanSong
from highhall.render import DRY
from highhall.render.segments import lanes_of, segment_frames


@login_required
@require_safe
def manifest(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return lane by lane the keys of all segments of the song, and what the player needs of time.

    The song is heard as it is now, or with `version` in the address as it is in that version; `Monitoring` says what else
    an address may ask for.
    """
    song = viewable_song(request, song_id)
    revision = _revision(request, song)
    monitoring = Monitoring.of(inputs(request))
    try:
        plan = heard_plan(revision.pk, monitoring)
    except LostProposalError as error:
        return _said(str(error), 422)
    frames, rate = segment_frames(plan), plan.song.sample_rate
    sounds = song_sounds(song.pk)
    by_lane = {lane: lane_segments(sounds, revision.pk, lane, monitoring) for lane in monitoring.lanes(plan)}
    end = plan.song.end_sample if monitoring.tracks_end is None else min(monitoring.tracks_end, plan.song.end_sample)
    stop = end + round(max((segments.tail_s for segments in by_lane.values()), default=0.0) * rate)
    count = -(-stop // frames)
    names = {DRY: "Dry", **{r.id: r.name for r in plan.returns}}
    address = segment_address(song.pk, revision.number, len(by_lane), monitoring)
    lanes = [
        {
            "id": lane,
            "name": names[lane],
            "keys": [segments.key(index)[:KEY_LENGTH] for index in range(count)],
            "url": address.replace("LANE", lane),
            **told_fader(plan, lane),
        }
        for lane, segments in by_lane.items()
    ]
    return JsonResponse(
        {
            "revision": revision.number,
            "sampleRate": rate,
            "segmentFrames": frames,
            "endSample": plan.song.end_sample,
            "stopSample": stop,
            "beats": _beats(plan.song),
            "lanes": lanes,
        }
    )


def _revision(request: HttpRequest, song: Song) -> Revision:
    """Return the newest revision, or that of the version that the address names."""
    version = inputs(request).text("version")
    if version and not is_proposal(version):
        named = Revision.objects.defer("document").filter(song=song)
        return get_object_or_404(named, versions__pk=version if version.isdecimal() else 0)
    if song.head is None:
        raise Http404
    return song.head


@login_required
@require_safe
def loudness(request: HttpRequest, song_id: int) -> JsonResponse:
    """Return how loud a passage is, `from` one sample `to` another, in LUFS: all that is heard, and the dry sound alone."""
    song = viewable_song(request, song_id)
    revision = _revision(request, song)
    limits = [inputs(request).text(name) for name in ("from", "to")]
    if not all(text.isdecimal() for text in limits):
        raise Http404
    try:
        return JsonResponse(
            passage_loudness(song.pk, revision, *map(int, limits), monitoring=Monitoring.of(inputs(request)))
        )
    except CoreError as error:
        return JsonResponse({"problem": str(error)}, status=422)


@lru_cache(maxsize=64)
def _beats(song: PlanSong) -> list[list[int]]:
    """Return [sample, bar, beat] of every beat of the tempo's beat value, for the position readout."""
    time = song.time
    pulse = song.tempos[0].beat.whole_notes
    end = time.meters.whole_notes_at(song.end)
    beats = []
    for number in range(int(end / pulse) + 1):
        position = time.meters.position_at(number * pulse)
        meter = time.meter_at(position)
        in_bar = int((position.beat - 1) / meter.unit / pulse) + 1
        beats.append([time.sample_at(position), position.bar, in_bar])
    return beats


@login_required
@require_safe
@cache_control(private=True, max_age=31536000, immutable=True)
def segment(request: HttpRequest, song_id: int, revision: int, lane: str, index: int, key: str) -> HttpResponse:
    """Return one segment as FLAC; its address never gives anything else, so it may be kept for good.

    What it says of itself is in `hallweb.audition.segment_file`.
    """
    song = viewable_song(request, song_id, Song.objects.only("pk"))
    row = get_object_or_404(Revision.objects.defer("document"), song=song, number=revision)
    monitoring = Monitoring.of(inputs(request))
    try:
        if lane not in lanes_of(heard_plan(row.pk, monitoring) if monitoring.proposal else plan_of(row.pk)):
            raise Http404
        note_played(song.pk, lane if inputs(request).says("spread") else None)
        sounds = song_sounds(song.pk)
        segments = known_segments(sounds, row, lane, index, key, monitoring)
        give_way = as_long_as_wanted(song.pk, segments) if is_rehearsal(monitoring.proposal) else lambda: None
        found = render_segment(sounds, segments, index, give_way)
    except UnknownSegmentError:
        raise Http404 from None
    except SupersededError:
        return _said("Something else was typed meanwhile.", 409)
    except CoreError as error:
        return _said(str(error), 422)
    return HttpResponse(found.content, content_type="audio/flac")


def _said(sentence: str, status: int) -> HttpResponse:
    return HttpResponse(sentence, status=status, content_type="text/plain; charset=utf-8")


@login_required
@require_safe
def may_hear(request: HttpRequest, song_id: int) -> HttpResponse:
    """Answer the front, which serves segments that are there by itself, that the user may hear a song."""
    viewable_song(request, song_id, Song.objects.only("pk"))
    return HttpResponse(status=204)
