"""Segments around the play position, told and rendered before they are asked for.

After an edit the browser would ask for the list of segments, and after that for segments. The answer of an edit says
already which segments are heard next, and they are rendered while the answer is written.
"""

import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from itertools import product
from threading import Lock
from typing import Any

from django.conf import settings
from django.db import close_old_connections

from hallweb.audition.calls import Call, call, listen
from hallweb.audition.segments import KEY_LENGTH, lane_segments, render_segment, segment_address, told_fader
from hallweb.log_lines import REQUEST_ID
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
    song_id, frames = revision.song_id, segment_frames(plan)
    first = sample // frames
    wanted = Call(song_id, revision.pk, revision.parent_id, first, _SEGMENTS, REQUEST_ID.get())
    if settings.SERVES == "web":
        call(wanted)
    else:
        _begin(wanted)
    sounds = song_sounds(song_id)
    lanes = {lane: lane_segments(sounds, revision.pk, lane) for lane in lanes_of(plan)}
    return {
        "first": first,
        "segmentFrames": frames,
        "endSample": plan.song.end_sample,
        "url": segment_address(song_id, revision.number, len(lanes)),
        "keys": {
            lane: [segments.key(index)[:KEY_LENGTH] for index in wanted.indices] for lane, segments in lanes.items()
        },
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
    listen(_answer)


def _answer(wanted: Call) -> None:
    if wanted.song_id in _played:
        close_old_connections()
        _begin(wanted)


def _begin(wanted: Call) -> None:
    """Have the segments of a call rendered that the edit has changed, those of lanes that listen back least first."""
    with _guard:
        _newest[wanted.song_id] = wanted.revision_id
        share = _shares.get(wanted.song_id)
    sounds = song_sounds(wanted.song_id)
    try:
        lanes = _lanes(wanted.revision_id, sounds, share)
        before = _lanes(wanted.parent_id, sounds, share) if wanted.parent_id is not None else {}
    except CoreError:
        return  # whoever asks for a segment is told
    changed = [
        segments
        for lane, segments in lanes.items()
        if (was := before.get(lane)) is None or any(was.key(i) != segments.key(i) for i in wanted.indices)
    ]
    _pool.submit(_render, wanted, sounds, sorted(changed, key=lambda segments: segments.memory))


def _lanes(revision_id: int, sounds: SongSounds, share: set[str] | None) -> dict[str, LaneSegments]:
    lanes = lanes_of(plan_of(revision_id))
    return {lane: lane_segments(sounds, revision_id, lane) for lane in lanes if share is None or lane in share}


def _render(wanted: Call, sounds: SongSounds, lanes: list[LaneSegments]) -> None:
    """Render the first segment of all lanes, one after another, then the next, as long as no later call is known."""
    REQUEST_ID.set(wanted.request_id)
    for index, segments in product(wanted.indices, lanes):
        with _guard:
            if _newest.get(wanted.song_id) != wanted.revision_id:
                return
        with suppress(CoreError):  # whoever asks for the segment is told
            render_segment(sounds, segments, index)
