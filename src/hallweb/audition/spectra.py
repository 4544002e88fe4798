"""What a lane's sound is like in a stretch of the song, measured from the pieces that are heard."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from hallweb.audition.pieces import HEADROOM, KEY_LENGTH, lane_pieces, piece_file
from hallweb.songs.models import Revision
from hallweb.songs.stems import song_sounds
from highhall.measure.third_octaves import ThirdOctaves


@dataclass(frozen=True, slots=True, eq=False)
class LaneReading:
    """Mean power by third octave, (bands,), summed over sides, and the largest sample."""

    bands: NDArray[np.float64]
    peak: float


def lane_reading(song_id: int, revision: Revision, lane: str, start: int, stop: int, sample_rate: int) -> LaneReading:
    """Return what a lane is like between two samples of the song; pieces that are not there yet are rendered."""
    pieces = lane_pieces(song_sounds(song_id), revision.pk, lane)
    first, last = start // pieces.frames, -(-stop // pieces.frames)
    keys = [pieces.key(index)[:KEY_LENGTH] for index in range(first, last)]
    files = tuple(piece_file(song_id, revision, lane, first + n, key) for n, key in enumerate(keys))
    return _reading(files, start - first * pieces.frames, stop - first * pieces.frames, sample_rate)


@lru_cache(maxsize=256)
def _reading(files: tuple[Path, ...], start: int, stop: int, sample_rate: int) -> LaneReading:
    """Return the reading of files that follow on each other, between two samples of them all."""
    bands, peak, place = ThirdOctaves(sample_rate), 0.0, 0
    for file in files:
        samples, _ = sf.read(file, dtype="float32", always_2d=True)
        inside = samples[max(start - place, 0) : max(stop - place, 0)].T * np.float32(HEADROOM)
        place += len(samples)
        if inside.size:
            peak = max(peak, float(np.abs(inside).max()))
            bands.add(np.ascontiguousarray(inside))
    powers = bands.finish()
    return LaneReading(powers.mean(axis=0, dtype=np.float64) if len(powers) else np.zeros(powers.shape[1]), peak)
