"""Segments around the play position, told and rendered before they are asked for.

After an edit the browser would ask for the list of segments, and after that for segments. The answer of an edit says
already which segments are heard next, and they are rendered while the answer is written.
"""

import time
from concurrent.futures import ThreadPoolExecutor
from threading import Lock
from typing import Any

from django.conf import settings

from hallweb.audition.calls import Call, call, listen
from hallweb.audition.segments import KEY_LENGTH, lane_segments, render_segment, segment_address, told_fader
from hallweb.log_lines import REQUEST_ID
from hallweb.songs.connections import own_connection
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, song_sounds
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.render.segments import LaneSegments, lanes_of, segment_frames

_SEGMENTS = 2
_PLAYED_S = 300.0
"""A song that this process has played longer ago is another's by now."""

_pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="ahead")
_guard = Lock()
_newest: dict[int, int] = {}
_played: dict[int, float] = {}
_shares: dict[int, set[str]] = {}
"""Which lanes this process plays of a song that is spread over several."""


def segments_ahead(revision: Revision, plan: Plan, sample: int) -> dict[str, Any]:
    """Have rendered what is heard from a sample on, in the background, and return which segments that are.

    A later call for the same song takes the place of one that has not come far. `keys` are those of each lane from the
    segment `first` on, `faders` how loud it is played; `url` is the address of a segment, with LANE, INDEX and KEY to be put in.
    """
    song_id, sounds = revision.song_id, song_sounds(revision.song_id)
    frames = segment_frames(plan)
    first = sample // frames
    indices = range(first, first + _SEGMENTS)
    lanes = {lane: lane_segments(sounds, revision.pk, lane) for lane in lanes_of(plan)}
    before = _lanes_before(revision, sounds)

    def is_changed(lane: str) -> bool:
        return lane not in before or any(before[lane].key(index) != lanes[lane].key(index) for index in indices)

    quickest_first = sorted(filter(is_changed, lanes), key=lambda lane: lanes[lane].memory)
    wanted = Call(song_id, revision.pk, tuple(quickest_first), first, _SEGMENTS, REQUEST_ID.get())
    if settings.SERVES == "web":
        call(wanted)
    else:
        _begin(wanted)
    return {
        "first": first,
        "segmentFrames": frames,
        "endSample": plan.song.end_sample,
        "url": segment_address(song_id, revision.number, len(lanes)),
        "keys": {lane: [segments.key(index)[:KEY_LENGTH] for index in indices] for lane, segments in lanes.items()},
        "faders": {lane: told_fader(plan, lane) for lane in lanes},
    }


def note_played(song_id: int, share: str | None = None) -> None:
    """Note that this process plays a song, or one lane of it, so that calls for it are its own to answer."""
    now = time.monotonic()
    with _guard:
        _played[song_id] = now
        if share is not None:
            _shares.setdefault(song_id, set()).add(share)
        for other in [each for each, at in _played.items() if now - at > _PLAYED_S]:
            del _played[other]
            _newest.pop(other, None)
            _shares.pop(other, None)


def answer_calls() -> None:
    """Render what other processes call for, of songs that this one plays."""
    listen(lambda wanted: _begin(wanted) if wanted.song_id in _played else None)


def _begin(wanted: Call) -> None:
    with _guard:
        _newest[wanted.song_id] = wanted.revision_id
        share = _shares.get(wanted.song_id)
        lanes = [lane for lane in wanted.lanes if share is None or lane in share]
    for lane in lanes:
        _pool.submit(_render, wanted, lane)


def _lanes_before(revision: Revision, sounds: SongSounds) -> dict[str, LaneSegments]:
    """Return the segments of the revision that an edit was made on: what is the same there needs no rendering."""
    if revision.parent_id is None:
        return {}
    return {lane: lane_segments(sounds, revision.parent_id, lane) for lane in lanes_of(plan_of(revision.parent_id))}


@own_connection()
def _render(wanted: Call, lane: str) -> None:
    """Render segments of one lane, one after another: the second goes on from where the first has come to."""
    REQUEST_ID.set(wanted.request_id)
    try:
        sounds = song_sounds(wanted.song_id)
        segments = lane_segments(sounds, wanted.revision_id, lane)
        for index in range(wanted.first, wanted.first + wanted.count):
            with _guard:
                if _newest.get(wanted.song_id) != wanted.revision_id:
                    return
            render_segment(sounds, segments, index)
    except CoreError:
        return  # whoever asks for the segment is told
