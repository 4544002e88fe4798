"""What the commands around impulse responses share."""

import argparse
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from highhall.capture import Sweep
from highhall.interchange.audio_files import written_whole

PEAK = 0.9


def add_sweep(parser: argparse.ArgumentParser) -> None:
    """Add what says which sweep it is."""
    parser.add_argument("--seconds", type=float, default=8.0, help="how long the sweep is")
    parser.add_argument("--rate", type=int, default=48000, help="sample rate in Hz")


def chosen_sweep(options: argparse.Namespace) -> Sweep:
    """Return the sweep that the arguments say."""
    return Sweep(seconds=options.seconds, sample_rate=options.rate, high_hz=min(22000.0, 0.46 * options.rate))


def write_sound(path: Path, samples: NDArray[np.floating], sample_rate: int) -> None:
    """Write sound, (channels, frames), and say what was written."""
    with written_whole(path) as temporary:
        sf.write(temporary, samples.T, sample_rate, subtype="PCM_24", format="WAV")
    print(f"{path}: {samples.shape[1] / sample_rate:.2f} s, {samples.shape[0]} channels, {sample_rate} Hz")
