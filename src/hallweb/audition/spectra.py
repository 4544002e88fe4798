"""What a lane's sound is like in a stretch of the song, measured from the segments that are heard."""

import hashlib
import io
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from hallweb.audition.background import MEASUREMENTS, PLAYING
from hallweb.audition.segments import HEADROOM, KEY_LENGTH, lane_segments, segment_sound
from hallweb.songs.models import Revision
from hallweb.songs.sounds import song_sounds
from highhall.measure.third_octaves import ThirdOctaves


@dataclass(frozen=True, slots=True, eq=False)
class LaneReading:
    """Mean power by third octave, (bands,), summed over sides, and the largest sample."""

    bands: NDArray[np.float64]
    peak: float


def lane_reading(
    song_id: int, revision: Revision, lane: str, start: int, stop: int, sample_rate: int
) -> LaneReading | None:
    """Return what a lane is like between two samples of the song; None until it is measured.

    Raises
    ------
    MeasurementError
        If the lane cannot be rendered.
    """
    segments = lane_segments(song_sounds(song_id), revision.pk, lane)
    first, last = start // segments.frames, -(-stop // segments.frames)
    keys = [segments.key(index)[:KEY_LENGTH] for index in range(first, last)]
    name = hashlib.sha256(repr((keys, start, stop)).encode()).hexdigest()

    def sounds() -> Iterator[bytes]:
        for index, key in enumerate(keys, first):
            PLAYING.give_way()
            yield segment_sound(song_id, revision, lane, index, key).flac

    inside = start - first * segments.frames, stop - first * segments.frames
    return MEASUREMENTS.of(f"lane-reading-{name}", lambda: _reading(sounds(), *inside, sample_rate))


def _reading(sounds: Iterable[bytes], start: int, stop: int, sample_rate: int) -> LaneReading:
    """Return the reading of segments that follow on each other, between two samples of them all."""
    bands, peak, place = ThirdOctaves(sample_rate), 0.0, 0
    for sound in sounds:
        samples, _ = sf.read(io.BytesIO(sound), dtype="float32", always_2d=True)
        inside = samples[max(start - place, 0) : max(stop - place, 0)].T * np.float32(HEADROOM)
        place += len(samples)
        if inside.size:
            peak = max(peak, float(np.abs(inside).max()))
            bands.add(np.ascontiguousarray(inside))
    powers = bands.finish()
    return LaneReading(powers.mean(axis=0, dtype=np.float64) if len(powers) else np.zeros(powers.shape[1]), peak)
