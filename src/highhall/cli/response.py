"""`highhall response`: turn the recording of a sweep into an impulse response."""

import argparse
from pathlib import Path

import numpy as np
import soundfile as sf

from highhall.cli.sweeps import PEAK, add_sweep, chosen_sweep, write_sound
from highhall.errors import CoreError
from highhall.interchange.audio_files import AudioFileError, sound_facts


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("recording", type=Path, help="from where the sweep begins; 1, 2 or 4 channels")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    parser.add_argument("--length", type=float, default=3.0, metavar="SECONDS", help="length to keep")
    add_sweep(parser)


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    facts = sound_facts(options.recording, most_channels=None)
    if facts.channels not in (1, 2, 4):
        raise AudioFileError(
            f'"{options.recording.name}" has {facts.channels} channels; expected 1, 2, or 4: what two microphones '
            "heard of the left loudspeaker, then of the right one"
        )
    if facts.sample_rate != options.rate:
        raise CoreError(
            f"the recording is at {facts.sample_rate} Hz; expected the sweep's rate, {options.rate} Hz (--rate)"
        )
    samples, rate = sf.read(options.recording, dtype="float64", always_2d=True)
    found = chosen_sweep(options).response(np.asarray(samples.T, np.float64), options.length)
    write_sound(options.out, PEAK * found / np.abs(found).max(), rate)
    return 0
