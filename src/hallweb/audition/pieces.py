"""Pieces on disk: rendered when first asked for, written whole, named by what they depend on."""

import threading
from functools import lru_cache
from pathlib import Path
from weakref import WeakValueDictionary

import numpy as np
import soundfile as sf

from hallweb.songs.files import pieces_folder
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.stems import SongSounds, open_responses, open_stems, song_sounds
from highhall.interchange.audio_files import written_whole
from highhall.plan import Plan
from highhall.plan.listening import alone
from highhall.render.pieces import LanePieces, PieceRenderer

HEADROOM = 8.0
"""Pieces are written at 1/8, since a lane may pass full scale before it is summed."""

KEY_LENGTH = 32


Alone = frozenset[str]
"""The tracks that are heard alone, with what they feed; nobody alone is the whole song."""
NOBODY_ALONE: Alone = frozenset()


class UnknownPieceError(LookupError):
    """No revision of the song has such a piece."""


@lru_cache(maxsize=32)
def heard_plan(revision_id: int, tracks: Alone) -> Plan:
    """Return a revision's plan, or that in which only some of its tracks are heard."""
    plan = plan_of(revision_id)
    return alone(plan, tracks) if any(track.id in tracks for track in plan.tracks) else plan


@lru_cache(maxsize=256)
def lane_pieces(sounds: SongSounds, revision_id: int, lane: str, tracks: Alone = NOBODY_ALONE) -> LanePieces:
    """Return the pieces of one lane of a revision, of all its tracks or only of some."""
    plan = heard_plan(revision_id, tracks)
    return LanePieces(plan, lane, sounds.hashes, open_responses(sounds, plan.song.sample_rate))


class _Lock:
    """A lock that can be held by weak reference."""

    def __init__(self) -> None:
        self._lock = threading.Lock()

    def __enter__(self) -> None:
        self._lock.acquire()

    def __exit__(self, *_: object) -> None:
        self._lock.release()


class _Locks:
    """One lock a key, so that two requests do not render the same piece."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._locks: WeakValueDictionary[str, _Lock] = WeakValueDictionary()

    def of(self, key: str) -> _Lock:
        with self._guard:
            return self._locks.setdefault(key, _Lock())


_locks = _Locks()
_renderer = PieceRenderer(kept=24)


def piece_file(song_id: int, revision: Revision, lane: str, index: int, key: str, tracks: Alone = NOBODY_ALONE) -> Path:
    """Return the file of a piece, rendering it if it is not there yet.

    Raises
    ------
    UnknownPieceError
        If the key is not that of this piece in this revision.
    """
    sounds = song_sounds(song_id)
    pieces = lane_pieces(sounds, revision.pk, lane, tracks)
    if pieces.key(index)[:KEY_LENGTH] != key:  # also keeps anyone from asking for another song's key
        raise UnknownPieceError(key)
    path = pieces_folder() / key[:2] / f"{key}.flac"
    with _locks.of(key):
        if not path.exists():
            plan = plan_of(revision.pk)
            stems = open_stems(sounds, plan.song.sample_rate)
            _write(path, _renderer.render(pieces, stems, index), plan.song.sample_rate)
    return path


def _write(path: Path, samples: np.ndarray, sample_rate: int) -> None:
    with written_whole(path) as temporary:
        scaled = np.clip(samples.T / HEADROOM, -1, 1)
        sf.write(temporary, scaled, sample_rate, subtype="PCM_24", format="FLAC")
