"""Segments of a revision: rendered when first asked for, kept under what they depend on."""

import logging
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from threading import BoundedSemaphore
from typing import Any
from weakref import WeakValueDictionary

from django.conf import settings
from django.urls import reverse

from hallweb.audition.background import PLAYING
from hallweb.audition.monitoring import AS_IT_IS, Monitoring
from hallweb.audition.segment_file import DamagedSegmentError, SegmentFile
from hallweb.audition.store import SegmentStore
from hallweb.metrics import ENGINES, KEPT, RENDERED
from hallweb.songs.files import segments_folder
from hallweb.songs.locks import Locks, TurnsByKey
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, open_responses, open_stems
from highhall.plan import Plan
from highhall.plan.isolation import at_unity, only_lane
from highhall.plan.order import feeding_returns
from highhall.render import DRY
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments, lane_fader

_logger = logging.getLogger(__name__)
_work = logging.getLogger("hallweb.work")

KEY_LENGTH = 32

_MOST_LANES = 16
"""A song with more lanes is played by all processes for sound, each some of its lanes, and not by one."""


class UnknownSegmentError(LookupError):
    """No revision of the song has such a segment."""


def segment_address(song_id: int, revision: int, lane_count: int, monitoring: Monitoring = AS_IT_IS) -> str:
    """Return the address of a segment with LANE, INDEX and KEY to be put in; `spread` in it tells the front to choose a process by lane."""
    address = reverse("audition:segment", args=[song_id, revision, "LANE", 0, "KEY"]).replace("0-KEY", "INDEX-KEY")
    query = monitoring.query
    return f"{address}{query}{'&' if query else '?'}spread=1" if lane_count > _MOST_LANES else address + query


@lru_cache(maxsize=128)
def heard_plan(revision_id: int, monitoring: Monitoring) -> Plan:
    """Return a revision's plan as it is heard."""
    return monitoring.heard(plan_of(revision_id))


def told_fader(plan: Plan, lane: str) -> dict[str, Any]:
    """Return how loud a lane is played, for left and right, and what of that the page may change by itself."""
    fader = lane_fader(plan, lane)
    return {
        "gains": fader.gains,
        "open": fader.open,
        "isMuted": fader.is_muted,
        "isLevelStill": fader.is_level_still,
        "group": fader.group,
        "groupGain": fader.group_gain,
    }


def lane_segments(sounds: SongSounds, revision_id: int, lane: str, monitoring: Monitoring = AS_IT_IS) -> LaneSegments:
    """Return the segments of one lane of a revision: those of an earlier one, where nothing that it hears has changed.

    They sound as before the lane's own fader, as far as that stands still: see `highhall.render.segments.lane_fader`. Two who
    ask at once are served by one.
    """
    with _locks.of((sounds, revision_id, lane, monitoring)):
        return _lane_segments(sounds, revision_id, lane, monitoring)


@lru_cache(maxsize=1024)
def _lane_segments(sounds: SongSounds, revision_id: int, lane: str, monitoring: Monitoring) -> LaneSegments:
    whole = heard_plan(revision_id, monitoring)
    if lane == DRY:
        plan = only_lane(whole, frozenset())
    else:
        plan = at_unity(only_lane(whole, feeding_returns(whole, lane)), lane)
    tracks_end = monitoring.tracks_end_in(lane)
    key = (sounds, lane, tracks_end, repr(plan))
    segments = _segments.get(key)
    if segments is None:
        responses = open_responses(sounds, plan.song.sample_rate)
        segments = _segments[key] = LaneSegments(plan, lane, sounds.hashes, responses, tracks_end=tracks_end)
    return segments


_segments: WeakValueDictionary[tuple[SongSounds, str, int | None, str], LaneSegments] = WeakValueDictionary()


_locks = Locks()
_turns = TurnsByKey()
_places = BoundedSemaphore(8)
"""So many songs are rendered side by side."""
_renderer = SegmentRenderer(settings.ENGINES_LIMIT_BYTES)


@lru_cache(maxsize=8)
def _store(folder: Path) -> SegmentStore:
    return SegmentStore(folder, settings.SEGMENTS_LIMIT_BYTES)


def known_segments(
    sounds: SongSounds, revision: Revision, lane: str, index: int, key: str, monitoring: Monitoring
) -> LaneSegments:
    """Return the segments of a lane, of which one has a key.

    Raises
    ------
    UnknownSegmentError
        If the key is not that of this segment in this revision.
    """
    segments = lane_segments(sounds, revision.pk, lane, monitoring)
    if segments.key(index)[:KEY_LENGTH] != key:  # also keeps anyone from asking for another song's key
        raise UnknownSegmentError(key)
    return segments


def render_segment(
    sounds: SongSounds, segments: LaneSegments, index: int, give_way: Callable[[], None] = lambda: None
) -> SegmentFile:
    """Return a segment from the store, or render and store it; two who ask at once are served by one.

    give_way: called again and again while it is rendered; what it raises ends that.
    """
    store, song_id, key = _store(segments_folder()), sounds.song_id, segments.key(index)[:KEY_LENGTH]
    with _locks.of(f"{song_id}/{key}"):
        kept = _kept(store, song_id, key)
        if kept is not None:
            KEPT.inc()
            return kept
        began = time.perf_counter()
        rate = segments.plan.song.sample_rate
        # Side by side the first would wait for the others; what is heard earlier goes before what is got ready for later.
        with PLAYING.rendering(), _turns.of(song_id).turn(index), _places:
            made = _renderer.render(segments, open_stems(sounds, rate), index, give_way)
        file = SegmentFile.of_sound(made.sound, made.fed_peaks, rate)
        seconds = time.perf_counter() - began
        RENDERED.observe(seconds)
        ENGINES.set(_renderer.held_bytes)
        facts = {"song": song_id, "lane": segments.lane, "index": index, "ms": round(seconds * 1000)}
        _work.info("a segment was rendered", extra={"facts": facts})
        try:
            store.write(song_id, key, file.content)
        except OSError as error:  # on a full disk it is heard all the same, and rendered again next time
            _logger.warning("a segment could not be stored: %s", error)
    return file


def _kept(store: SegmentStore, song_id: int, key: str) -> SegmentFile | None:
    """Return a segment from the store if it is there as it was written."""
    content = store.read(song_id, key)
    try:
        return SegmentFile.of(content) if content is not None else None
    except DamagedSegmentError as error:
        _logger.warning("segment %s of song %s is damaged: %s", key, song_id, error)
        store.drop(song_id, key)
        return None
