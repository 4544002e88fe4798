"""Commands around impulse responses: a sweep, what a simulated room makes of it, and back to the response."""

import argparse
import shutil
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from highhall.capture import ROOMS, Sweep, example_response
from highhall.errors import CoreError
from highhall.interchange.audio_files import AudioFileError, sound_facts, written_whole

_PEAK = 0.9


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add `sweep`, `room`, `response` and `examples`."""
    sweep = commands.add_parser("sweep", help="write a sine sweep to play in a room")
    sweep.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    _add_sweep(sweep)
    sweep.set_defaults(run=_sweep)

    room = commands.add_parser(
        "room", help="play the sweep in a simulated room and record it: a stand-in for a real one"
    )
    room.add_argument("room", choices=tuple(ROOMS))
    room.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    _add_sweep(room)
    room.set_defaults(run=_room)

    response = commands.add_parser("response", help="turn the recording of a sweep into an impulse response")
    response.add_argument("recording", type=Path, help="from where the sweep begins; 1, 2 or 4 channels")
    response.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    response.add_argument("--length", type=float, default=3.0, metavar="SECONDS", help="length to keep")
    _add_sweep(response)
    response.set_defaults(run=_response)

    examples = commands.add_parser("examples", help="copy the impulse responses that ship with the program")
    examples.add_argument("--out", type=Path, required=True, metavar="DIR")
    examples.set_defaults(run=_examples)


def _add_sweep(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--seconds", type=float, default=8.0, help="how long the sweep is")
    parser.add_argument("--rate", type=int, default=48000, help="sample rate in Hz")


def _chosen_sweep(options: argparse.Namespace) -> Sweep:
    return Sweep(seconds=options.seconds, sample_rate=options.rate, high_hz=min(22000.0, 0.46 * options.rate))


def _write(path: Path, samples: NDArray[np.floating], sample_rate: int) -> None:
    with written_whole(path) as temporary:
        sf.write(temporary, samples.T, sample_rate, subtype="PCM_24", format="WAV")
    print(f"{path}: {samples.shape[1] / sample_rate:.2f} s, {samples.shape[0]} channels, {sample_rate} Hz")


def _sweep(options: argparse.Namespace) -> int:
    sweep = _chosen_sweep(options)
    _write(options.out, sweep.samples()[None], sweep.sample_rate)
    return 0


def _room(options: argparse.Namespace) -> int:
    sweep = _chosen_sweep(options)
    heard = ROOMS[options.room].answer(sweep.samples(), sweep.sample_rate)
    _write(options.out, _PEAK * heard / np.abs(heard).max(), sweep.sample_rate)
    return 0


def _examples(options: argparse.Namespace) -> int:
    for name in ROOMS:
        target = options.out / f"{name}.flac"
        with written_whole(target) as temporary:
            shutil.copyfile(example_response(name), temporary)
        print(target)
    return 0


def _response(options: argparse.Namespace) -> int:
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
    found = _chosen_sweep(options).response(np.asarray(samples.T, np.float64), options.length)
    _write(options.out, _PEAK * found / np.abs(found).max(), rate)
    return 0
