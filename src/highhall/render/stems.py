"""The stems of a plan as memory-mapped sound, by stretches of song time."""

import mmap
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from highhall.effects import NO_RESPONSES, Response, read_response
from highhall.interchange.audio_files import Audio, decoded_stem
from highhall.plan import Plan, Track
from highhall.plan.references import response_paths

_LET_GO_FRAMES = 1 << 18


class Stems:
    """Decoded stems by their path in the plan.

    Parameters
    ----------
    sources: samples by stem path, each (1 or 2, frames) at the song's rate.
    responses: impulse responses by their path in the plan, at the song's rate.
    """

    def __init__(self, sources: Mapping[str, Audio], responses: Mapping[str, Response] = NO_RESPONSES) -> None:
        self._sources = sources
        self.responses = responses

    @classmethod
    def opened(cls, plan: Plan, folder: Path, decoded: Path) -> "Stems":
        """Decode a plan's stems, found in `folder`, into the folder `decoded`, and read its impulse responses.

        Raises
        ------
        AudioFileError
            If a stem or an impulse response cannot be used.
        """
        decoded.mkdir(parents=True, exist_ok=True)
        names = sorted({track.stem for track in plan.tracks})
        with ThreadPoolExecutor() as pool:
            samples = pool.map(lambda name: decoded_stem(folder / name, plan.song.sample_rate, decoded), names)
            responses = {path: read_response(folder / path, plan.song.sample_rate) for path in response_paths(plan)}
            return cls(dict(zip(names, samples, strict=True)), responses)

    def samples(self, track: Track) -> Audio:
        """Return all samples of a track's stem, (1 or 2, frames), from the stem's own start."""
        return self._sources[track.stem]

    def by_path(self, path: str) -> Audio:
        """Return all samples of a stem by its path in the plan, (1 or 2, frames)."""
        return self._sources[path]

    def read(self, track: Track, sample_rate: int, start: int, stop: int) -> Audio:
        """Return a track's stem between two samples of the song, (1 or 2, stop - start); silence outside."""
        samples = self.samples(track)
        offset = round(track.start_s * sample_rate)
        first, last = start - offset, stop - offset
        if first >= 0 and last <= samples.shape[1]:
            _let_go(samples, first, last)
            return samples[:, first:last]
        out = np.zeros((samples.shape[0], stop - start), np.float32)
        inside_first, inside_last = max(first, 0), min(last, samples.shape[1])
        if inside_first < inside_last:
            out[:, inside_first - first : inside_last - first] = samples[:, inside_first:inside_last]
        return out

    def end_sample(self, plan: Plan) -> int:
        """Return the first sample of the song after every stem has ended."""
        rate = plan.song.sample_rate
        ends = [round(track.start_s * rate) + self.samples(track).shape[1] for track in plan.tracks]
        return max(ends, default=0)


def _let_go(samples: Audio, first: int, last: int) -> None:
    """Whenever reading passes a quarter of a million frames of a mapped stem, give back the memory of those before.

    What is read again comes back from the file by itself, so this changes no sound: only what a long song holds.
    """
    begin = first // _LET_GO_FRAMES * _LET_GO_FRAMES
    if begin == 0 or first - begin >= last - first or not isinstance(samples, np.memmap):
        return
    mapped: mmap.mmap = samples._mmap  # type: ignore[attr-defined]
    for side in range(samples.shape[0]):
        stop = samples.offset + (side * samples.shape[1] + begin) * samples.itemsize
        start = max(stop - _LET_GO_FRAMES * samples.itemsize, 0) // mmap.PAGESIZE * mmap.PAGESIZE
        mapped.madvise(mmap.MADV_DONTNEED, start, stop // mmap.PAGESIZE * mmap.PAGESIZE - start)
