"""Segments around the play position, told and rendered before they are asked for.

After an edit the browser would ask for the list of segments, and after that for segments. The answer of an edit says
already which segments are heard next, and they are rendered while the answer is written; those of an edit that is being
typed before it is made.
"""

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace
from itertools import product
from threading import Condition
from typing import Any

from django.conf import settings
from django.db import close_old_connections

from hallweb.audition.background import PLAYING, SupersededError
from hallweb.audition.calls import Call, call, listen
from hallweb.audition.monitoring import AS_IT_IS, Monitoring
from hallweb.audition.segments import (
    KEY_LENGTH,
    heard_plan,
    lane_segments,
    render_segment,
    segment_address,
    told_fader,
)
from hallweb.log_lines import REQUEST_ID
from hallweb.songs.models import Revision
from hallweb.songs.sounds import SongSounds, song_sounds
from highhall.errors import CoreError
from highhall.render.segments import LaneSegments, lanes_of, segment_frames

_SEGMENTS = 2
_DIGIT_S = 0.12
"""How long after the first lane of what is typed the others wait for another digit."""

_PLAYED_S = 300.0
"""A song that this process has played longer ago is another's by now."""


_pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="ahead")
_guard = Condition()


@dataclass(slots=True)
class _Heard:
    """What this process knows of a song that it plays, or has rendered for.

    at: when either was last. share: which lanes it plays of a song that is spread over several; None is all. newest: the
    last call. is_typed: whether that is of an edit that is being typed. lanes: those of the last call, as they are heard
    then; None until they are known.
    """

    at: float = 0.0
    is_played: bool = False
    share: frozenset[str] | None = None
    newest: Call | None = None
    is_typed: bool = False
    lanes: frozenset[LaneSegments] | None = None


_songs: dict[int, _Heard] = {}


def segments_ahead(revision: Revision, sample: int, monitoring: Monitoring = AS_IT_IS) -> dict[str, Any]:
    """Have rendered what is heard from a sample on, in the background, and return which segments that are.

    monitoring: how the plan is heard; of a proposal, they are of the plan that it would make of the revision. A later call
    for the same song takes the place of one that has not come far. `keys` are those of each lane from the segment `first` on, `faders` how loud it is played; `url` is the address of a segment, with LANE, INDEX and KEY to be put in.
    """
    song_id = revision.song_id
    plan = heard_plan(revision.pk, monitoring)
    frames = segment_frames(plan)
    first = sample // frames
    parent_id = revision.pk if monitoring.proposal else revision.parent_id
    wanted = Call(song_id, revision.pk, parent_id, first, _SEGMENTS, REQUEST_ID.get(), monitoring.query)
    if settings.SERVES == "web":
        call(wanted)
    else:
        _begin(wanted)
    sounds = song_sounds(song_id)
    lanes = {lane: lane_segments(sounds, revision.pk, lane, monitoring) for lane in lanes_of(plan)}
    return {
        "first": first,
        "segmentFrames": frames,
        "endSample": plan.song.end_sample,
        "url": segment_address(song_id, revision.number, len(lanes), monitoring),
        "keys": {
            lane: [segments.key(index)[:KEY_LENGTH] for index in wanted.indices] for lane, segments in lanes.items()
        },
        "faders": {lane: told_fader(plan, lane) for lane in lanes},
    }


def note_played(song_id: int, share: str | None = None) -> None:
    """Note that this process plays a song, or one lane of it, so that calls for it are its own to answer."""
    with _guard:
        heard = _noted(song_id)
        heard.is_played = True
        if share is not None:
            heard.share = (heard.share or frozenset()) | {share}
        for other in [each for each, known in _songs.items() if heard.at - known.at > _PLAYED_S]:
            del _songs[other]


def _noted(song_id: int) -> _Heard:
    heard = _songs.setdefault(song_id, _Heard())
    heard.at = time.monotonic()
    return heard


def answer_calls() -> None:
    """Render what other processes call for, of songs that this one plays."""
    listen(_answer)


def _answer(wanted: Call) -> None:
    heard = _songs.get(wanted.song_id)
    if heard and heard.is_played:
        close_old_connections()
        _begin(wanted)


def _begin(wanted: Call) -> None:
    """Have the segments of a call rendered that the edit has changed, those of lanes that listen back least first."""
    PLAYING.expect()
    monitoring = Monitoring.of_query(wanted.heard)
    with _guard:
        heard = _noted(wanted.song_id)
        heard.newest, heard.is_typed = wanted, bool(monitoring.proposal)
        _guard.notify_all()
    sounds = song_sounds(wanted.song_id)
    try:
        lanes = _lanes(wanted.revision_id, sounds, heard.share, monitoring)
        as_it_was = replace(monitoring, proposal="")
        before = _lanes(wanted.parent_id, sounds, heard.share, as_it_was) if wanted.parent_id is not None else {}
    except CoreError:
        return  # whoever asks for a segment is told
    changed = [
        segments
        for lane, segments in lanes.items()
        if (was := before.get(lane)) is None or any(was.key(i) != segments.key(i) for i in wanted.indices)
    ]
    heard.lanes = frozenset(lanes.values())
    _pool.submit(_render, wanted, heard, sounds, sorted(changed, key=lambda segments: segments.memory))


def _lanes(
    revision_id: int, sounds: SongSounds, share: frozenset[str] | None, monitoring: Monitoring
) -> dict[str, LaneSegments]:
    lanes = lanes_of(heard_plan(revision_id, monitoring))
    return {
        lane: lane_segments(sounds, revision_id, lane, monitoring) for lane in lanes if share is None or lane in share
    }


def _render(wanted: Call, heard: _Heard, sounds: SongSounds, lanes: list[LaneSegments]) -> None:
    """Render the first segment of all lanes, one after another, then the next, as long as no later call is known.

    What is at work then goes on only if that call is for the same.
    """
    REQUEST_ID.set(wanted.request_id)
    for number, (index, segments) in enumerate(product(wanted.indices, lanes)):
        patience = _DIGIT_S if heard.is_typed and number == 1 else 0.0
        with _guard:
            if _guard.wait_for(lambda: heard.newest is not wanted, patience):
                return
        with suppress(CoreError, SupersededError):  # whoever asks for the segment is told
            render_segment(sounds, segments, index, as_long_as_wanted(wanted.song_id, segments, wanted))


def as_long_as_wanted(song_id: int, segments: LaneSegments, mine: Call | None = None) -> Callable[[], None]:
    """Return what raises SupersededError when a lane is another in the newest call of its song.

    What is typed next ends the work for a call of `mine` before it is known what that changes: mostly the same lanes.
    """

    def check() -> None:
        heard = _songs.get(song_id)
        if heard is None or heard.newest is None or heard.lanes is None:
            return
        is_typed_over = mine is not None and heard.newest is not mine and heard.is_typed
        if is_typed_over or segments not in heard.lanes:
            raise SupersededError

    return check
