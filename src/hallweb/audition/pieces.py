"""Pieces of a revision: rendered when first asked for, kept under what they depend on."""

import io
import logging
import struct
import threading
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from weakref import WeakValueDictionary

import numpy as np
import soundfile as sf
from django.conf import settings

from hallweb.audition.hearing import AS_IT_IS, Hearing
from hallweb.audition.store import PieceStore
from hallweb.songs.files import pieces_folder
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, open_responses, open_stems, song_sounds
from highhall.plan import Plan
from highhall.plan.listening import only_lane
from highhall.plan.order import feeding_returns
from highhall.render import DRY
from highhall.render.pieces import LanePieces, PieceRenderer

_logger = logging.getLogger(__name__)

HEADROOM = 8.0
"""Pieces are written at 1/8, since a lane may pass full scale before it is summed."""

KEY_LENGTH = 32


class UnknownPieceError(LookupError):
    """No revision of the song has such a piece."""


@lru_cache(maxsize=32)
def heard_plan(revision_id: int, hearing: Hearing) -> Plan:
    """Return a revision's plan as it is heard."""
    return hearing.heard(plan_of(revision_id))


@lru_cache(maxsize=1024)
def lane_pieces(sounds: SongSounds, revision_id: int, lane: str, hearing: Hearing = AS_IT_IS) -> LanePieces:
    """Return the pieces of one lane of a revision: those of an earlier one, where nothing that it hears has changed."""
    whole = heard_plan(revision_id, hearing)
    plan = only_lane(whole, frozenset() if lane == DRY else feeding_returns(whole, lane))
    tracks_end = hearing.tracks_end_in(lane)
    key = (sounds, lane, tracks_end, repr(plan))
    pieces = _pieces.get(key)
    if pieces is None:
        responses = open_responses(sounds, plan.song.sample_rate)
        pieces = _pieces[key] = LanePieces(plan, lane, sounds.hashes, responses, tracks_end=tracks_end)
    return pieces


_pieces: WeakValueDictionary[tuple[SongSounds, str, int | None, str], LanePieces] = WeakValueDictionary()


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
_renderer = PieceRenderer(kept=64)


@lru_cache(maxsize=8)
def _store(folder: Path) -> PieceStore:
    return PieceStore(folder, settings.PIECES_LIMIT_BYTES)


@dataclass(frozen=True, slots=True)
class KeptPiece:
    """A piece as it is kept: its sound as FLAC, and what its return is fed, a peak in every tenth of a second."""

    flac: bytes
    fed_peaks: tuple[float, ...]

    @classmethod
    def of(cls, content: bytes) -> "KeptPiece":
        """Read what `content` has written."""
        count = content[0]
        return cls(content[1 + 4 * count :], struct.unpack_from(f"<{count}f", content, 1))

    @property
    def content(self) -> bytes:
        """How it lies in the store: a count, as many 32-bit floats, FLAC."""
        count = len(self.fed_peaks)
        return struct.pack(f"<B{count}f", count, *self.fed_peaks) + self.flac


def piece_sound(
    song_id: int, revision: Revision, lane: str, index: int, key: str, hearing: Hearing = AS_IT_IS
) -> KeptPiece:
    """Return a piece, rendering it if it is not there yet.

    Raises
    ------
    UnknownPieceError
        If the key is not that of this piece in this revision.
    """
    sounds = song_sounds(song_id)
    pieces = lane_pieces(sounds, revision.pk, lane, hearing)
    if pieces.key(index)[:KEY_LENGTH] != key:  # also keeps anyone from asking for another song's key
        raise UnknownPieceError(key)
    store = _store(pieces_folder())
    with _locks.of(key):
        content = store.read(key)
        if content is not None:
            return KeptPiece.of(content)
        rate = pieces.plan.song.sample_rate
        made = _renderer.render(pieces, open_stems(sounds, rate), index)
        piece = KeptPiece(_as_flac(made.sound, rate), tuple(float(peak) for peak in made.fed_peaks))
        _keep(store, key, piece.content)
    return piece


def _keep(store: PieceStore, key: str, sound: bytes) -> None:
    """Store a piece; on a full disk it is heard all the same, and rendered again next time."""
    try:
        store.write(key, sound)
    except OSError as error:
        _logger.warning("a piece could not be stored: %s", error)


def _as_flac(samples: np.ndarray, sample_rate: int) -> bytes:
    file = io.BytesIO()
    sf.write(file, np.clip(samples.T / HEADROOM, -1, 1), sample_rate, subtype="PCM_24", format="FLAC")
    return file.getvalue()
