"""What a lane's sound is like in a stretch of the song, measured from the segments that are heard."""

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hallweb.audition.background import MEASUREMENTS, Measurement, giving_way
from hallweb.audition.segments import KEY_LENGTH, lane_segments, render_segment
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, song_sounds
from highhall.measure.third_octaves import ThirdOctaves
from highhall.render.segments import LaneSegments, lane_fader


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
    segments, indices, gains = _stretch(song_sounds(song_id), revision.pk, lane, start, stop)
    keys = [segments.key(index)[:KEY_LENGTH] for index in indices]
    name = hashlib.sha256(repr((keys, gains.tolist(), start, stop)).encode()).hexdigest()
    asked = song_id, revision.pk, lane, start, stop, sample_rate
    return MEASUREMENTS.of(f"lane-reading-{name}", song_id, reading_of, *asked)


@Measurement
def reading_of(song_id: int, revision_id: int, lane: str, start: int, stop: int, sample_rate: int) -> LaneReading:
    """Measure a lane between two samples of the song, in the segments that are heard there."""
    sounds = song_sounds(song_id)
    segments, indices, gains = _stretch(sounds, revision_id, lane, start, stop)
    first = indices.start * segments.frames
    give_way = giving_way(song_id, revision_id)

    def heard() -> Iterator[NDArray[np.float32]]:
        for index in indices:
            give_way()
            yield render_segment(sounds, segments, index).sound * gains

    return _reading(heard(), start - first, stop - first, sample_rate)


def _stretch(
    sounds: SongSounds, revision_id: int, lane: str, start: int, stop: int
) -> tuple[LaneSegments, range, NDArray[np.float32]]:
    """Return a lane's segments, which of them lie between two samples, and the lane's gains, (2, 1)."""
    segments = lane_segments(sounds, revision_id, lane)
    indices = range(start // segments.frames, -(-stop // segments.frames))
    gains = np.array(lane_fader(plan_of(revision_id), lane).gains, np.float32)[:, None]
    return segments, indices, gains


def _reading(sounds: Iterable[NDArray[np.float32]], start: int, stop: int, sample_rate: int) -> LaneReading:
    """Return the reading of sounds that follow on each other, between two samples of them all."""
    bands, peak, place = ThirdOctaves(sample_rate), 0.0, 0
    for samples in sounds:
        inside = samples[:, max(start - place, 0) : max(stop - place, 0)]
        place += samples.shape[1]
        if inside.size:
            peak = max(peak, float(np.abs(inside).max()))
            bands.add(np.ascontiguousarray(inside))
    powers = bands.finish()
    return LaneReading(powers.mean(axis=0, dtype=np.float64) if len(powers) else np.zeros(powers.shape[1]), peak)
