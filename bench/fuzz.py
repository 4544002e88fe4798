"""Broken files: what is read from outside is refused by our own errors alone, quickly and in little memory.

Usage: bin/bench fuzz [--files 10000] [--seed 1] [--only KIND]

Sound, MIDI, tables, plans and archives are changed at random places and read as the application reads them. It fails if any file raises
anything but the core's own error, takes more than 2 s, or needs more than 300 MiB beside what the program has. What fails is kept in
/tmp/high-hall-fuzz.
"""

import argparse
import copy
import io
import json
import random
import resource
import shutil
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import mido
import numpy as np
import soundfile as sf
from tests.core.plans import example, make_document, make_plan, write_stem

from highhall.effects import read_response
from highhall.errors import CoreError
from highhall.exports import write_plan_midi
from highhall.interchange.audio_files import decoded_stem
from highhall.interchange.broadcast_wave import Label, Tags, time_reference_samples
from highhall.interchange.channels import ManyChannels, to_stereo
from highhall.interchange.midi import read_midi
from highhall.interchange.packs import pack_chunks, unpack
from highhall.interchange.sections import read_sections
from highhall.interchange.sound_check import checked_sound
from highhall.interchange.sound_writer import SoundWriter
from highhall.plan import parse_plan
from highhall.plan.json.reader import load_json
from highhall.plan.references import files_of
from highhall.plan.sets import set_from_document

LONGEST_S, MOST_BYTES = 2.0, 300 << 20
KEPT = Path("/tmp/high-hall-fuzz")
ODD_NUMBERS = [0, 1, 0x7F, 0x80, 0xFF, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF, 2**63 - 1, 2**64 - 1]
ODD_WORDS = [
    "0", "-1", "1e999", "NaN", "Infinity", "null", "true", "[]", "{}", '""', "9" * 400, "9" * 5000, "99999|1", "0|0", "1|0", "1|999",
    '"\\ud800"', '"\\u0000"', '"' + "x" * 5000 + '"', "1/0", "1/3", "128/128", "-0", "1e-300", "[" * 3000, '"../../x"', '"main"', "\u0663",
]  # fmt: skip
Reader = Callable[[Path], object]


def mutated(data: bytes, rng: random.Random, *, is_text: bool) -> bytes:
    """Return bytes with some changes: flips, cuts, repeats, odd numbers; in text odd words in the place of words."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 3, 8))):
        if not out:
            break
        at = rng.randrange(len(out)) if rng.random() < 0.5 else rng.randrange(min(len(out), 200))
        match rng.randrange(7 if is_text else 5):
            case 0:
                out[at] ^= 1 << rng.randrange(8)
            case 1:
                del out[at : at + rng.choice((1, 2, 4, 100, len(out)))]
            case 2:
                out[at:at] = out[at : at + rng.choice((1, 4, 64, 4096))] * rng.choice((1, 2, 50))
            case 3:
                size = rng.choice((1, 2, 4, 8))
                number = rng.choice(ODD_NUMBERS) & (256**size - 1)
                out[at : at + size] = number.to_bytes(size, rng.choice(("little", "big")))
            case 4:
                out[at : at + 4] = bytes(rng.randrange(256) for _ in range(4))
            case _:
                text = out.decode("utf-8", "replace")
                words = [place for place in range(len(text)) if text[place] in '":,[{']
                start = rng.choice(words) + 1 if words else 0
                stop = start + rng.choice((0, 1, 3, 8))
                out = bytearray((text[:start] + rng.choice(ODD_WORDS) + text[stop:]).encode("utf-8", "replace"))
    return bytes(out)


ODD_VALUES: list[Any] = [
    None, True, 0, -1, 0.5, 1e308, 10**400, "", "x" * 5000, "\ud800", "1/4", "99999|1", "3|1+1/7", [], {}, [[]] * 3000, "main", "hall",
    {"kind": "echo"}, [1, 2, 3], "NaN", "../..",
]  # fmt: skip


def odd_document(data: bytes, rng: random.Random) -> bytes:
    """Return a JSON document with some values changed, left out, doubled or put elsewhere."""
    document = json.loads(data)
    for _ in range(rng.choice((1, 1, 2, 5))):
        at = document
        while True:
            places = list(at) if isinstance(at, dict) else list(range(len(at)))
            if not places:
                break
            place = rng.choice(places)
            if isinstance(at[place], dict | list) and at[place] and rng.random() < 0.8:
                at = at[place]
                continue
            match rng.randrange(4):
                case 0:
                    del at[place]
                case 1 if isinstance(at, list):
                    at.extend(copy.deepcopy(at[place]) for _ in range(rng.choice((1, 3, 300))))
                case _:
                    at[place] = copy.deepcopy(rng.choice(ODD_VALUES))
            break
    return json.dumps(document).encode()


def sounds(folder: Path) -> list[tuple[str, bytes]]:
    """Return a sound file of each kind."""
    rng, made = np.random.default_rng(1), []
    for suffix, subtype, form in (
        (".wav", "PCM_16", "WAV"), (".wav", "FLOAT", "WAV"), (".wav", "PCM_24", "RF64"), (".aiff", "PCM_16", "AIFF"),
        (".flac", "PCM_16", "FLAC"), (".ogg", "VORBIS", "OGG"), (".mp3", "MPEG_LAYER_III", "MP3"), (".wav", "PCM_16", "WAVEX"),
    ):  # fmt: skip
        path = folder / f"sound{suffix}"
        sf.write(path, 0.1 * rng.standard_normal((3000, 2)), 44100, subtype=subtype, format=form)
        made.append((path.name, path.read_bytes()))
    return made


def cued(folder: Path) -> list[tuple[str, bytes]]:
    """Return a WAV file with a time stamp and cue points."""
    tags = Tags(time_reference=24000, labels=[Label(0, "Verse"), Label(9000, "Refrain")])
    writer = SoundWriter(folder / "cued.wav", sample_rate=48000, file_format="wav", depth="16", tags=tags)
    writer.write(np.zeros((2, 20000), np.float32))
    writer.close()
    return [("cued.wav", (folder / "cued.wav").read_bytes())]


def read_sound(path: Path) -> None:
    """Read a sound as a stem, a response, a file of cue points, and with many channels."""
    facts = checked_sound(path)
    time_reference_samples(path)
    if facts.channels > 2:
        to_stereo(path, path.with_name("stereo.wav"), ManyChannels.FIRST_PAIR)
    else:
        decoded_stem(path, 48000, path.parent / "decoded")
        read_response(path, 48000)


def read_any_sections(path: Path) -> None:
    """Read sections, as a table or from cue points."""
    read_sections(path, make_plan().song)


def plans() -> list[tuple[str, bytes]]:
    """Return some plans, as the application writes them."""
    return [("plan.json", json.dumps(each).encode()) for each in (example(), make_document())]


def sets() -> list[tuple[str, bytes]]:
    """Return a set of returns."""
    document = example()
    kept = {"format": "high-hall-returns", "version": 1, "name": "Set", "returns": document["returns"], "sends": []}
    return [("set.json", json.dumps(kept).encode())]


def midis(folder: Path) -> list[tuple[str, bytes]]:
    """Return a map of ours, and one with all kinds of meta events."""
    write_plan_midi(folder / "plan.mid", make_plan())
    other = mido.MidiFile()
    track = mido.MidiTrack()
    other.tracks.append(track)
    for message in (
        mido.MetaMessage("set_tempo", tempo=500000), mido.MetaMessage("time_signature", numerator=6, denominator=8),
        mido.MetaMessage("key_signature", key="Am"), mido.MetaMessage("marker", text="Verse", time=960),
    ):  # fmt: skip
        track.append(message)
    out = io.BytesIO()
    other.save(file=out)
    return [("map.mid", (folder / "plan.mid").read_bytes()), ("map.mid", out.getvalue())]


def archives(folder: Path) -> list[tuple[str, bytes]]:
    """Return a packed song, and one that is compressed."""
    plan = make_plan()
    for path in files_of(plan):
        write_stem(folder / path, np.zeros((1, 800)))
    good = b"".join(pack_chunks(plan, folder))
    squeezed, source = io.BytesIO(), zipfile.ZipFile(io.BytesIO(good))
    with zipfile.ZipFile(squeezed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in source.namelist():
            archive.writestr(name, source.read(name))
    return [("song.zip", good), ("song.zip", squeezed.getvalue())]


def unpacked(path: Path) -> None:
    """Unpack an archive beside it, with little room."""
    target = path.parent / "unpacked"
    try:
        unpack(path, target, most_bytes=50 << 20)
    finally:
        shutil.rmtree(target, ignore_errors=True)


def main() -> int:
    """Read many broken files of every kind; return 1 if one of them did harm."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        tables = [("sections.csv", b"name,start,end\nVerse,1|1,5|1\nRefrain,5|1,\n")]
        kinds = {
            "sound": Kind(sounds(folder), read_sound),
            "cues": Kind(cued(folder), read_any_sections),
            "midi": Kind(midis(folder), read_midi),
            "csv": Kind(tables, read_any_sections, is_text=True),
            "plan": Kind(
                plans(),
                lambda path: parse_plan(path.read_text(encoding="utf-8", errors="surrogateescape")),
                is_text=True,
            ),
            "set": Kind(
                sets(),
                lambda path: set_from_document(load_json(path.read_text(errors="surrogateescape"))),
                is_text=True,
            ),
            "archive": Kind(archives(folder), unpacked),
        }
        chosen = {name: each for name, each in kinds.items() if options.only in (None, name)}
        for kind in chosen.values():
            for file_name, data in kind.files:  # the good ones are read, and all that is loaded once is loaded
                (folder / file_name).write_bytes(data)
                kind.read(folder / file_name)
        limit = _in_use() + MOST_BYTES
        resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
        failures = sum(
            _tried(name, each, count=options.files // len(chosen), seed=options.seed, folder=folder)
            for name, each in chosen.items()
        )
    return 1 if failures else 0


def _can_be_shown(text: str) -> bool:
    return text.encode("utf-8", "ignore").decode() == text


def _in_use() -> int:
    return int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()


@dataclass(frozen=True)
class Kind:
    """A kind of file: good ones to start from, what reads them, and whether they are text."""

    files: list[tuple[str, bytes]]
    read: Reader
    is_text: bool = False


def _tried(name: str, kind: Kind, *, count: int, seed: int, folder: Path) -> int:
    """Read so many broken files of a kind; print what came of them and return how many did harm."""
    rng, came, slowest, harm = random.Random(f"{name} {seed}"), Counter[str](), 0.0, 0
    for number in range(count):
        file_name, data = rng.choice(kind.files)
        path = folder / file_name
        is_odd = path.suffix == ".json" and rng.random() < 0.7
        broken = odd_document(data, rng) if is_odd else mutated(data, rng, is_text=kind.is_text)
        path.write_bytes(broken)
        began, fault = time.perf_counter(), ""
        try:
            kind.read(path)
            came["read"] += 1
        except CoreError as error:
            came["refused"] += 1
            fault = "" if str(error).isascii() or _can_be_shown(str(error)) else "an error that cannot be shown"
        except BaseException as error:
            fault = f"{type(error).__name__}: {error}"[:160]
        took = time.perf_counter() - began
        slowest = max(slowest, took)
        fault = fault or (f"took {took:.1f} s" if took > LONGEST_S else "")
        if fault:
            harm += 1
            KEPT.mkdir(exist_ok=True)
            (KEPT / f"{name}-{number}{path.suffix}").write_bytes(broken)
            print(f"  {name} {number}: {fault}", file=sys.stderr)
    print(
        f"{name:8} {count:6} files: {came['read']} read, {came['refused']} refused, {harm} did harm, slowest {slowest:.2f} s"
    )
    return harm


if __name__ == "__main__":
    sys.exit(main())
