"""The list of pieces of a song, and one piece."""

from functools import lru_cache
from urllib.parse import urlencode

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.cache import cache_control

from hallweb.audition.pieces import (
    HEADROOM,
    KEY_LENGTH,
    Hearing,
    UnknownPieceError,
    heard_plan,
    lane_pieces,
    piece_sound,
)
from hallweb.songs.models import Revision, Song
from hallweb.songs.revisions import plan_of
from hallweb.songs.stems import song_sounds
from highhall.errors import CoreError
from highhall.plan import Song as PlanSong
from highhall.render import DRY
from highhall.render.pieces import lanes_of, piece_frames


@login_required
def manifest(request: HttpRequest, song_id: int) -> JsonResponse:
    """Return lane by lane the keys of all pieces of the song as it is now, and what the player needs of time.

    With `alone` in the address only those tracks are heard, with what they feed; with `plain` a return without its tone;
    with `tracks-end` the tracks stop at that sample and the returns ring on.
    """
    song = get_object_or_404(
        Song.objects.visible_to(request.user).select_related("head").defer("head__document"), pk=song_id
    )
    if song.head is None:
        raise Http404
    hearing = _hearing(request)
    plan = heard_plan(song.head.pk, hearing)
    frames, rate = piece_frames(plan), plan.song.sample_rate
    sounds = song_sounds(song.pk)
    by_lane = {lane: lane_pieces(sounds, song.head.pk, lane, hearing) for lane in lanes_of(plan)}
    end = plan.song.end_sample if hearing.tracks_end is None else min(hearing.tracks_end, plan.song.end_sample)
    stop = end + round(max(pieces.tail_s for pieces in by_lane.values()) * rate)
    count = -(-stop // frames)
    names = {DRY: "Dry", **{r.id: r.name for r in plan.returns}}
    lanes = []
    for lane, pieces in by_lane.items():
        keys = [pieces.key(index)[:KEY_LENGTH] for index in range(count)]
        lanes.append({"id": lane, "name": names[lane], "keys": keys})
    address = reverse("audition:piece", args=[song.pk, song.head.number, "LANE", 0, "KEY"])
    return JsonResponse(
        {
            "revision": song.head.number,
            "sampleRate": rate,
            "pieceFrames": frames,
            "endSample": plan.song.end_sample,
            "stopSample": stop,
            "headroom": HEADROOM,
            "beats": _beats(plan.song),
            "lanes": lanes,
            "pieceUrl": address.replace("0-KEY", "INDEX-KEY") + _query(hearing),
        }
    )


def _hearing(request: HttpRequest) -> Hearing:
    said = request.GET
    end = said.get("tracks-end", "")
    return Hearing(
        alone=frozenset(filter(None, said.get("alone", "").split(","))),
        plain=said.get("plain", ""),
        tracks_end=int(end) if end.isdecimal() and len(end) < 12 else None,
    )


def _query(hearing: Hearing) -> str:
    said = {"alone": ",".join(sorted(hearing.alone)), "plain": hearing.plain, "tracks-end": hearing.tracks_end}
    query = urlencode({name: value for name, value in said.items() if value not in ("", None)}, safe=",")
    return f"?{query}" if query else ""


@lru_cache(maxsize=64)
def _beats(song: PlanSong) -> list[list[int]]:
    """Return [sample, bar, beat] of every beat of the tempo's beat value, for the position readout."""
    time = song.time
    step = song.tempos[0].beat.whole_notes
    end = time.meters.whole_notes_at(song.end)
    beats = []
    for number in range(int(end / step) + 1):
        position = time.meters.position_at(number * step)
        meter = time.meter_at(position)
        in_bar = int((position.beat - 1) / meter.unit / step) + 1
        beats.append([time.sample_at(position), position.bar, in_bar])
    return beats


@login_required
@cache_control(private=True, max_age=31536000, immutable=True)
def piece(request: HttpRequest, song_id: int, revision: int, lane: str, index: int, key: str) -> HttpResponse:
    """Return one piece as FLAC; its address never gives anything else, so it may be kept for good."""
    song = get_object_or_404(Song.objects.visible_to(request.user), pk=song_id)
    row = get_object_or_404(Revision.objects.defer("document"), song=song, number=revision)
    if lane not in lanes_of(plan_of(row.pk)):
        raise Http404
    try:
        sound = piece_sound(song.pk, row, lane, index, key, _hearing(request))
    except UnknownPieceError:
        raise Http404 from None
    except CoreError as error:
        return HttpResponse(str(error), status=422, content_type="text/plain; charset=utf-8")
    return HttpResponse(sound, content_type="audio/flac")
