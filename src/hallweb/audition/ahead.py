"""Segments rendered before they are asked for: those that an edit changes around the play position.

The browser asks for the list of segments after an edit has answered, and for segments after the list; meanwhile they are
rendered here, so that what it asks for is there or on its way.
"""

from concurrent.futures import ThreadPoolExecutor
from threading import Lock

from hallweb.audition.segments import KEY_LENGTH, lane_segments, render_segment
from hallweb.songs.models import Revision
from hallweb.songs.sounds import SongSounds, song_sounds
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.render.segments import lanes_of, segment_frames

_SEGMENTS = 3
_pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="ahead")
_guard = Lock()
_newest: dict[int, int] = {}


def render_ahead(revision: Revision, plan: Plan, sample: int) -> None:
    """Begin to render what is heard from a sample on, in the background; what is there already costs nothing.

    A later call for the same song takes the place of one that has not come far.
    """
    song_id, sounds = revision.song_id, song_sounds(revision.song_id)
    first = sample // segment_frames(plan)
    with _guard:
        _newest[song_id] = revision.pk
    for index in range(first, first + _SEGMENTS):
        for lane in lanes_of(plan):
            _pool.submit(_render, sounds, song_id, revision.pk, lane, index)


def _render(sounds: SongSounds, song_id: int, revision_id: int, lane: str, index: int) -> None:
    with _guard:
        if _newest.get(song_id) != revision_id:
            return
    try:
        segments = lane_segments(sounds, revision_id, lane)
        render_segment(sounds, segments, index, segments.key(index)[:KEY_LENGTH])
    except CoreError:
        return  # whoever asks for the segment is told
