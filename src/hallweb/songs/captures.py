"""Impulse responses captured in the application: a sweep to play, and what becomes of its recording."""

import io
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import soundfile as sf

from hallweb.songs.models import Song
from hallweb.songs.responses import bring_in, write_chunks
from highhall.capture import CapturedResponse, Sweep, capture_response
from highhall.errors import CoreError

SWEEP_SECONDS = (4, 8, 16)
"""How long a sweep may be: a longer one lifts the response further over the noise."""

KEPT_SECONDS = (1, 3, 6, 12)
_LARGEST_BYTES = 256 << 20


@dataclass(frozen=True, slots=True)
class Capture:
    """A response that was stored: its path in the plan, and what it is like."""

    path: str
    response: CapturedResponse


def sweep_for(song: Song, seconds: int) -> Sweep:
    """Return the sweep of a length, at the song's rate."""
    return Sweep(seconds=float(seconds), sample_rate=song.sample_rate, high_hz=min(22000.0, 0.46 * song.sample_rate))


def sweep_file(sweep: Sweep) -> bytes:
    """Return a sweep as a WAV file of 24 bits, one channel."""
    file = io.BytesIO()
    sf.write(file, sweep.samples(), sweep.sample_rate, subtype="PCM_24", format="WAV")
    return file.getvalue()


def capture(song: Song, name: str, chunks: Iterable[bytes], *, sweep: Sweep, kept_s: float) -> Capture:
    """Make an impulse response of the recording of a sweep and store it in the song under the recording's name.

    Raises
    ------
    CoreError
        If it is no recording of that sweep; nothing is stored.
    """
    with tempfile.TemporaryDirectory() as folder:
        recording = Path(folder) / f"recording{Path(name).suffix.lower()}"
        why = "the recording of a sweep lasts a minute at most"
        write_chunks(chunks, recording, name, largest_bytes=_LARGEST_BYTES, why=why)
        try:
            found = capture_response(recording, sweep, kept_s)
        except CoreError as error:
            raise CoreError(str(error).replace(recording.name, name)) from error
        written = io.BytesIO()
        sf.write(written, found.samples.T, found.sample_rate, subtype="PCM_24", format="WAV")
    return Capture(bring_in(song, f"{Path(name).stem}.wav", [written.getvalue()]), found)
