"""Bringing in 16 stereo stems of four minutes, 44.1 kHz and 24 bit: checked, hashed, decoded, listened to.

Prints multiples of real time of each part on one core, and the peak memory of the whole. Beside it, in the same
run, what a plain read of the same files takes: no import can be faster.
"""

import resource
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile as sf

from highhall.interchange.audio_files import content_hash, decoded_stem
from highhall.interchange.sound_check import checked_sound
from highhall.measure import analysis_of, estimate_tempo

STEMS, SECONDS, RATE = 16, 240, 44100


def write_stems(folder: Path) -> list[Path]:
    """Write notes of noise with pauses, a block at a time, so that writing needs little memory."""
    rng = np.random.default_rng(0)
    paths = []
    for index in range(STEMS):
        path = folder / f"stem {index}.wav"
        with sf.SoundFile(path, "w", RATE, 2, subtype="PCM_24") as file:
            for second in range(SECONDS):
                loud = 0.2 * (second % (index + 2) > 0)
                decay = np.exp(-np.arange(RATE) / (0.15 * RATE))[:, None]
                file.write(
                    (loud * decay * rng.standard_normal((RATE, 2)) + 1e-4 * rng.standard_normal((RATE, 2))).clip(-1, 1)
                )
        paths.append(path)
    return paths


def timed(name: str, work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    spent = time.perf_counter() - began
    print(f"{name:34} {STEMS * SECONDS / spent:7.0f} x real time  {spent:6.1f} s")
    return spent


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = write_stems(folder)
        plain = timed("plain read of the files", lambda: [sf.read(path, dtype="float32")[1] for path in paths])
        spent = timed("checked from end to end", lambda: [checked_sound(path) for path in paths])
        spent += timed("hashed", lambda: [content_hash(path) for path in paths])
        spent += timed("decoded at 44.1 kHz", lambda: [decoded_stem(path, RATE, folder / "a") for path in paths])
        timed("decoded and resampled to 48 kHz", lambda: [decoded_stem(path, 48000, folder / "b") for path in paths])
        levels = []

        def listen() -> None:
            for path in paths:
                analysis = analysis_of(decoded_stem(path, RATE, folder / "a"), RATE)
                levels.append((0.0, analysis.levels_db))

        spent += timed("listened to", listen)
        spent += timed("tempo estimated from all of them", lambda: estimate_tempo(levels))
        print(
            f"import and analysis together       {STEMS * SECONDS / spent:7.0f} x real time, {spent / plain:.0f} plain reads"
        )
        print(
            f"peak memory                        {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:7.0f} MiB"
        )


if __name__ == "__main__":
    main()
