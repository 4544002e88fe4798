"""Songs with a fault of each kind planted in them, chosen at random by a seed: from just over the limit to gross."""

import copy
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from scipy.signal import fftconvolve

from highhall.depth import DepthModel, StemTable, sounds_of
from highhall.findings import Heard
from highhall.findings.hearing import heard_of
from highhall.plan import Plan, plan_from_document
from highhall.render import Stems
from tests.core.signals import RATE

TEMPOS = (72, 96, 120, 138)
BARS = 12
Document = dict[str, Any]


@dataclass(frozen=True)
class Base:
    """A song, and the sounds of its stems by path."""

    document: Document
    sounds: Mapping[str, np.ndarray]
    responses: Mapping[str, np.ndarray] = field(default_factory=dict)

    @property
    def stems(self) -> Stems:
        return Stems(dict(self.sounds), dict(self.responses))


def heard(document: Document, stems: Stems, *, rendered: bool = False) -> Heard:
    """Return a song as findings look at it."""
    plan = plan_from_document(document)
    return heard_of(model_of(plan, stems), stems, rendered=rendered)


def model_of(plan: Plan, stems: Stems) -> DepthModel:
    return DepthModel(plan, StemTable.of(plan, sounds_of(plan, stems)), stems.responses)


def reverb(space: str, decay_s: float, *filters: dict[str, Any], **more: Any) -> list[dict[str, Any]]:
    chain: list[dict[str, Any]] = [{"kind": "reverb", "params": {"space": space, "decay_s": decay_s, **more}}]
    return [*chain, {"kind": "tone", "params": {"bands": list(filters)}}] if filters else chain


LOW_CUT = {"shape": "low_cut", "hz": 200, "slope_db_oct": 12}
HIGH_CUT = {"shape": "high_cut", "hz": 6000, "slope_db_oct": 6}


def base(chance: np.random.Generator) -> Base:
    """A voice in phrases, a pad, a drum and a bass in a room, a hall and an echo, with nothing wrong."""
    bpm = int(chance.choice(TEMPOS))
    document: Document = {
        "format": "high-hall-plan",
        "version": 1,
        "song": {
            "title": "Planted",
            "sample_rate": RATE,
            "meters": [{"bar": 1, "beats": 4, "unit": 4}],
            "tempos": [{"at": "1|1", "bpm": bpm}],
            "sections": [
                {"id": key, "name": name, "start": f"{4 * n + 1}|1", "end": f"{4 * n + 5}|1"}
                for n, (key, name) in enumerate((("verse", "Verse"), ("refrain", "Refrain"), ("outro", "Outro")))
            ],
            "end": f"{BARS + 1}|1",
        },
        "groups": [{"id": "band", "name": "Band"}],
        "tracks": [
            {"id": "voice", "name": "Lead Voice", "stem": "voice.wav"},
            {"id": "pad", "name": "Pad", "stem": "pad.wav", "group": "band", "level_db": -6.0},
            {"id": "drum", "name": "Drum", "stem": "drum.wav", "group": "band", "level_db": -4.0},
            {"id": "bass", "name": "Bass", "stem": "bass.wav", "level_db": -3.0},
        ],
        "returns": [
            {"id": "room", "name": "Room", "chain": reverb("room", 0.5, LOW_CUT, HIGH_CUT)},
            {"id": "hall", "name": "Hall", "chain": reverb("hall", 1.6, LOW_CUT, HIGH_CUT)},
            {"id": "echo", "name": "Echo", "chain": [{"kind": "echo", "params": {"left": "1/4", "right": "1/8.", "feedback": 0.3, "low_cut_hz": 200, "high_cut_hz": 4000}}]},
        ],
        "sends": [
            {"from": "voice", "to": "room", "level_db": -20.0},
            {"from": "voice", "to": "echo", "level_db": -26.0},
            {"from": "pad", "to": "hall", "level_db": -10.0},
            {"from": "drum", "to": "room", "level_db": -12.0},
        ],
        "moves": [],
    }  # fmt: skip
    return Base(document, sounds(bpm, int(chance.integers(3))))


@lru_cache(maxsize=16)
def sounds(bpm: int, seed: int) -> Mapping[str, np.ndarray]:
    """Return the sounds of the four sources: phrases of a bar and a half, gaps of half a bar, twelve bars long."""
    beat_s, chance = 60 / bpm, np.random.default_rng(seed)
    frames = round(4 * BARS * beat_s * RATE)
    time = np.arange(frames) / RATE
    beat = time % beat_s
    sung = time % (8 * beat_s) < 6 * beat_s
    edges = np.minimum(1, np.minimum(time % (8 * beat_s), np.abs(6 * beat_s - time % (8 * beat_s))) / 0.03)
    pitch = (220 * 2 ** (chance.integers(0, 8, 4 * BARS + 1) / 12))[(time / beat_s).astype(int)]
    phase = np.cumsum(pitch * (1 + 0.006 * np.sin(2 * np.pi * 5.3 * time))) / RATE
    voice = 0.05 * sung * edges * sum(np.sin(2 * np.pi * k * phase) / k for k in range(1, 24))
    chord = (196.0, 246.9, 293.7, 392.0, 587.3)
    pad = 0.03 * sum(
        np.sin(2 * np.pi * hz * time + 3 * np.sin(2 * np.pi * 0.7 * time + n)) / (1 + n / 3)
        + 0.3 * np.sin(2 * np.pi * 4 * hz * time)
        for n, hz in enumerate(chord)
    )
    drum = 0.25 * chance.standard_normal(frames) * np.exp(-40 * (time % (beat_s / 2)))
    bass = 0.15 * np.sin(2 * np.pi * 55 * time) * np.exp(-2 * beat) * np.minimum(1, beat / 0.01)
    bass = bass + 0.02 * np.sin(2 * np.pi * 220 * time) * np.exp(-4 * beat)
    found = {"voice": voice, "pad": pad, "drum": drum, "bass": bass}
    return {f"{key}.wav": np.asarray(sound, np.float32)[None] for key, sound in found.items()}


def recorded_room(seed: int, direct: float) -> np.ndarray:
    """An impulse response that begins with the direct sound, of that many times the tail's magnitude."""
    falls = 10 ** (-3 * np.arange(RATE) / RATE)
    tail = np.random.default_rng(seed).standard_normal((2, RATE)) * falls
    tail /= np.sqrt(np.sum(tail**2, axis=1, keepdims=True))
    tail[:, : RATE // 200] = 0
    tail[:, 0] = direct
    return tail.astype(np.float32)


Plant = Callable[[Base, float, np.random.Generator], Base]
"""Puts a fault into a song, of a strength from 0, just over the limit, to 1, gross."""


def planted(kind: str, seed: int) -> tuple[Base, Base]:
    """Return a song without a fault, and the same with one of a kind."""
    chance = np.random.default_rng(seed)
    clean = base(chance)
    strength = float(chance.random())
    return clean, PLANTS[kind](Base(copy.deepcopy(clean.document), clean.sounds), strength, chance)


def _returns(song: Base, key: str) -> Document:
    return next(each for each in song.document["returns"] if each["id"] == key)


def _send(song: Base, source: str, target: str, **fields: Any) -> Base:
    sends = song.document["sends"]
    found = next((each for each in sends if (each["from"], each["to"]) == (source, target)), None)
    if found is None:
        sends.append({"from": source, "to": target, **fields})
    else:
        found.update(fields)
    return song


def _track(song: Base, key: str) -> Document:
    return next(each for each in song.document["tracks"] if each["id"] == key)


def _clips(song: Base, strength: float, _: np.random.Generator) -> Base:
    for track in song.document["tracks"]:
        track["level_db"] = track.get("level_db", 0.0) + 8.0 + 4 * strength
    return song


def _feedback(song: Base, strength: float, _: np.random.Generator) -> Base:
    beat_s = 60 / song.document["song"]["tempos"][0]["bpm"]
    limit = min(32 * beat_s, 12.0)
    repeats = (1.15 + strength) * limit / beat_s
    _returns(song, "echo")["chain"][0]["params"].update(feedback=round(min(10 ** (-2 / (repeats - 1)), 0.95), 3))
    return song


def _spills(song: Base, strength: float, _: np.random.Generator) -> Base:
    beat_s = 60 / song.document["song"]["tempos"][0]["bpm"]
    decay_s = 2 * beat_s * (3.5 + 2 * strength)
    _returns(song, "hall")["chain"] = reverb("hall", round(decay_s, 2), LOW_CUT, HIGH_CUT)
    return _send(song, "voice", "hall", level_db=-4.0 + 7 * strength)


def _pushed(song: Base, strength: float, _: np.random.Generator) -> Base:
    return _send(song, "voice", "hall", level_db=-10.5 + 13 * strength)


def _wet(song: Base, strength: float, _: np.random.Generator) -> Base:
    for source in ("voice", "pad", "drum"):
        _send(song, source, "hall", level_db=-1.0 + 6 * strength)
    return song


def _sudden(song: Base, strength: float, chance: np.random.Generator) -> Base:
    section = str(chance.choice(["refrain", "outro"]))
    jump = 7.5 + 7 * strength
    values = [{"section": section, "value": min(-10.0 + jump, 5.0)}]
    song.document["moves"].append({"target": {"send": ["pad", "hall"], "param": "level_db"}, "sections": values})
    return song


def _low_mids(song: Base, strength: float, _: np.random.Generator) -> Base:
    bell = {"shape": "bell", "hz": 260, "gain_db": round(0.5 + 13 * strength, 1), "q": 0.8}
    _returns(song, "hall")["chain"] = reverb("hall", 1.6, LOW_CUT, HIGH_CUT, bell)
    return _send(song, "voice", "hall", level_db=-24.0)


def _harsh(song: Base, strength: float, _: np.random.Generator) -> Base:
    bell = {"shape": "bell", "hz": 3200, "gain_db": round(6.0 + 9.5 * strength, 1), "q": 0.7}
    cut = {"shape": "low_cut", "hz": 250 + 500 * strength, "slope_db_oct": 12}
    _returns(song, "room")["chain"] = reverb("room", 0.5, cut, bell)
    return song


def _bass(song: Base, strength: float, chance: np.random.Generator) -> Base:
    key = str(chance.choice(["room", "hall"]))
    _returns(song, key)["chain"] = reverb(key, 0.6, HIGH_CUT)
    return _send(song, "bass", key, level_db=-20.0 + 14 * strength)


def _mono(song: Base, strength: float, _: np.random.Generator) -> Base:
    _returns(song, "hall")["width"] = round(1.9 + 0.1 * strength, 2)
    return song


def _leaks(song: Base, strength: float, chance: np.random.Generator) -> Base:
    params = {"ir": "room.flac", "direct": "keep"}
    _returns(song, "room")["chain"] = [{"kind": "impulse", "params": params}]
    return Base(song.document, song.sounds, {"room.flac": recorded_room(int(chance.integers(100)), 0.5 + 2 * strength)})


def _too_long(song: Base, strength: float, _: np.random.Generator) -> Base:
    beat_s = 60 / song.document["song"]["tempos"][0]["bpm"]
    _returns(song, "room")["chain"] = reverb("room", round(4 * beat_s * (2.6 + 2 * strength), 2), LOW_CUT, HIGH_CUT)
    _send(song, "voice", "room", level_db=-8.0)
    _send(song, "drum", "room", level_db=-40.0)
    return song


def _off_grid(song: Base, strength: float, chance: np.random.Generator) -> Base:
    beat_ms = 60000 / song.document["song"]["tempos"][0]["bpm"]
    off = (0.012 + 0.03 * strength) * chance.choice([-1, 1])
    beats = float(chance.choice([0.5, 0.75, 1.0]))
    _returns(song, "echo")["chain"][0]["params"]["left"] = f"{beat_ms * beats * (1 + off):.1f}ms"
    return song


def _muted(song: Base, strength: float, chance: np.random.Generator) -> Base:
    key = str(chance.choice(["voice", "pad", "drum"]))
    _track(song, key)["mute"] = True
    return _send(song, key, "hall", level_db=-30.0 + 20 * strength, tap="pre")


def _lowered(song: Base, strength: float, _: np.random.Generator) -> Base:
    song.document["groups"][0]["level_db"] = round(-3.2 - 7 * strength, 1)
    return _send(song, "pad", "hall", level_db=-8.0)


def _two_rooms(song: Base, strength: float, _: np.random.Generator) -> Base:
    _returns(song, "hall")["chain"] = reverb("hall", round(1.2 + 2 * strength, 2), LOW_CUT, HIGH_CUT)
    plan = plan_from_document(song.document)
    model = model_of(plan, song.stems)
    off = (model.readings["drum", None].wet_db or 0.0) - (model.readings["pad", None].wet_db or 0.0)
    return _send(song, "pad", "hall", level_db=round(min(-12.0 + off, 6.0), 1))


def _stem_lacks(song: Base, strength: float, _: np.random.Generator) -> Base:
    song.document["groups"].append({"id": "front", "name": "Front"})
    _track(song, "voice")["group"] = "front"
    _returns(song, "echo")["output"] = "front"
    return _send(song, "pad", "hall", level_db=round(-12.0 + 8 * strength, 1))


def _already_wet(song: Base, strength: float, chance: np.random.Generator) -> Base:
    """Record the drum, twice a bar, in a room that decays evenly."""
    decay_s, beat_s = 0.55 + 0.6 * strength, 60 / song.document["song"]["tempos"][0]["bpm"]
    dry = song.sounds["drum.wav"][0]
    hits = np.where(np.arange(dry.size) / RATE % (2 * beat_s) < beat_s / 2, dry, 0.0)
    falls = 10 ** (-3 * np.arange(round(1.2 * decay_s * RATE)) / RATE / decay_s)
    tail = chance.standard_normal(falls.size) * falls
    wet = fftconvolve(hits, tail / np.sqrt(np.sum(tail**2)))[: dry.size]
    _send(song, "drum", "room", level_db=-4.0)
    return Base(song.document, {**song.sounds, "drum.wav": (0.5 * hits + wet).astype(np.float32)[None]})


def _unfed(song: Base, _: float, chance: np.random.Generator) -> Base:
    key = str(chance.choice(["room", "hall", "echo"]))
    is_off = bool(chance.integers(2))
    sends = song.document["sends"]
    song.document["sends"] = [{**s, "on": False} if s["to"] == key else s for s in sends if is_off or s["to"] != key]
    return song


def _twins(song: Base, strength: float, chance: np.random.Generator) -> Base:
    key = str(chance.choice(["room", "hall", "echo"]))
    twin = copy.deepcopy(_returns(song, key))
    twin.update(id="twin", name="Twin", level_db=round(-6 * strength, 1))
    if key != "echo":
        twin["chain"][0]["params"]["pre_delay"] = "1ms"
    song.document["returns"].append(twin)
    return _send(song, "pad", "twin", level_db=-20.0)


def _never(song: Base, strength: float, chance: np.random.Generator) -> Base:
    bar = int(chance.choice([2, 4, 6, 8, 10]))
    throw = {"at": f"{bar}|3.5", "length": "1/16", "value": -6.0}
    song.document["moves"].append({"target": {"send": ["voice", "echo"], "param": "level_db"}, "throws": [throw]})
    return song


PLANTS: Mapping[str, Plant] = {
    "clips": _clips,
    "feedback-runs-on": _feedback,
    "tail-spills": _spills,
    "front-pushed-back": _pushed,
    "too-wet": _wet,
    "sudden-depth": _sudden,
    "low-mids-build-up": _low_mids,
    "harsh-return": _harsh,
    "bass-in-space": _bass,
    "mono-loss": _mono,
    "dry-leaks": _leaks,
    "decay-too-long": _too_long,
    "echo-off-grid": _off_grid,
    "pre-send-of-muted": _muted,
    "group-lowered-space-stays": _lowered,
    "group-in-two-rooms": _two_rooms,
    "stem-lacks-space": _stem_lacks,
    "source-already-wet": _already_wet,
    "unfed-return": _unfed,
    "twin-returns": _twins,
    "never-heard": _never,
}
