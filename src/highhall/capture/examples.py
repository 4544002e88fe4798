"""Responses that ship with the program: the invented rooms, captured by a sweep as a real one would be.

`python -m highhall.capture.examples` makes them again.
"""

from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from highhall.capture.room import ROOMS
from highhall.capture.sweep import Sweep

FOLDER = Path(__file__).parent / "responses"
_PEAK = 0.9


def example_response(name: str) -> Path:
    """Return the file of one of `ROOMS`: FLAC, 24 bit, 48 kHz, true stereo (left-left, left-right, right-left, right-right)."""
    return FOLDER / f"{name}.flac"


def captured(name: str) -> NDArray[np.float32]:
    """Return what a sweep of 8 s finds of a room, (4, frames), as long as the room's decay, peak 0.9."""
    room, sweep = ROOMS[name], Sweep()
    found = sweep.response(room.answer(sweep.samples(), sweep.sample_rate), room.decay_s)
    scaled: NDArray[np.float32] = (_PEAK * found / np.abs(found).max()).astype(np.float32)
    return scaled


if __name__ == "__main__":
    FOLDER.mkdir(exist_ok=True)
    for each in ROOMS:
        sf.write(example_response(each), captured(each).T, Sweep().sample_rate, subtype="PCM_24")
