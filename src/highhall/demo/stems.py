"""Writes the demo song's stems: ten mono files, 48 kHz, 24 bit, the same bits every time."""

import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import soundfile as sf

from highhall.demo import instruments, score
from highhall.demo.plan import demo_song
from highhall.demo.score import Note
from highhall.interchange.audio_files import written_whole
from highhall.timing import SongTime

_PARTS: dict[str, tuple[Callable[[], Iterator[Note]], instruments.Instrument, float]] = {
    # Peak level of each stem in dBFS, as a careful engineer would have recorded it.
    "lead-voice": (score.lead_voice, instruments.voice, -6.0),
    "harmony-voices": (score.harmony_voices, instruments.voice, -9.0),
    "fiddle": (score.fiddle, instruments.fiddle, -9.0),
    "low-whistle": (score.low_whistle, instruments.low_whistle, -9.0),
    "harp": (score.harp, instruments.harp, -8.0),
    "harmonium": (score.harmonium, instruments.harmonium, -12.0),
    "double-bass": (score.double_bass, instruments.double_bass, -8.0),
    "frame-drum": (score.frame_drum, instruments.frame_drum, -6.0),
    "shakers": (score.shakers, instruments.shakers, -12.0),
    "stones": (score.stones, instruments.stones, -9.0),
}
STEM_NAMES = tuple(_PARTS)
_NOISE_FLOOR_DB = -84.0


def write_stems(folder: Path, progress: Callable[[float], None] = lambda _: None) -> None:
    """Write every stem that is not there yet to `folder`/NAME.flac; `progress` is told the share done."""
    time = demo_song().time
    missing = [name for name in STEM_NAMES if not (folder / f"{name}.flac").exists()]
    with ThreadPoolExecutor() as pool:
        for done, _ in enumerate(pool.map(lambda name: _write_stem(folder, name, time), missing), 1):
            progress(done / len(missing))


def _write_stem(folder: Path, name: str, time: SongTime) -> None:
    samples = stem_samples(name, time)
    with (
        written_whole(folder / f"{name}.flac") as temporary,
        sf.SoundFile(temporary, "w", instruments.RATE, 1, subtype="PCM_24", format="FLAC") as file,
    ):
        for start in range(0, len(samples), 65536):
            file.write(samples[start : start + 65536])


def stem_samples(name: str, time: SongTime) -> np.ndarray:
    """Return one stem, (frames,), float32; it lasts as long as the song."""
    notes, play, peak_db = _PARTS[name]
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    out = np.zeros(round(time.tempos.seconds_at(score.BARS * score.BAR / 8) * instruments.RATE))
    for note in notes():
        start_s = time.tempos.seconds_at(note.start / 8) + rng.normal(0, 0.006)
        length_s = time.tempos.seconds_at((note.start + note.length) / 8) - time.tempos.seconds_at(note.start / 8)
        played = play(instruments.hz_of(note.pitch), length_s, note, rng) * rng.uniform(0.9, 1.08)
        first = max(round(start_s * instruments.RATE), 0)
        last = min(first + len(played), len(out))
        out[first:last] += played[: last - first]
    out *= 10 ** (peak_db / 20) / np.abs(out).max()
    out += rng.standard_normal(len(out)) * 10 ** (_NOISE_FLOOR_DB / 20)
    return out.astype(np.float32)
