"""Three short songs of known kinds of sound, for benchmarks of the depth model.

Held, plucked, struck and sung sources; spaces and echoes, an echo into a hall, throws, pre-fader sends, a captured response.
"""

from typing import Any

import numpy as np
from bench.common import RATE

from highhall.capture import example_response
from highhall.effects.impulse.response import read_response
from highhall.plan import Plan, plan_from_document
from highhall.render import Stems

BARS, SECTION_BARS = 12, 4
SOURCES = ("pad", "harp", "drum", "voice")


def songs() -> dict[str, tuple[Plan, Stems]]:
    """Return the plans of the songs with their stems, by title."""
    return {title: _song(title, number, bpm) for number, (title, bpm) in enumerate(TEMPOS.items())}


TEMPOS = {"Slow": 72, "Walking": 104, "Quick": 138}


def _song(title: str, number: int, bpm: int) -> tuple[Plan, Stems]:
    chains: dict[str, list[dict[str, Any]]] = {
        "room": [_reverb(("room", "chamber", "plate")[number], 0.5 + 0.2 * number)],
        "hall": [_reverb(("hall", "cathedral", "hall")[number], 1.6 + 0.9 * number), _low_cut(180)],
        "echo": [{"kind": "echo", "params": {"left": "1/4", "right": "1/8.", "feedback": 0.35, "high_cut_hz": 4500}}],
        "stairs": [{"kind": "impulse", "params": {"ir": "stairwell.flac"}}],
        "wide": [{"kind": "chorus", "params": {}}, _reverb("plate", 1.2)],
    }
    levels = iter(np.random.default_rng(number).uniform(-22, -8, 64).round(1).tolist())
    into = {"pad": "hall wide", "harp": "room echo", "drum": "room stairs", "voice": "hall echo stairs"}
    sends: list[dict[str, Any]] = [
        {"from": source, "to": target, "level_db": next(levels), "tap": "pre" if (source, target) == PRE else "post"}
        for source, targets in into.items()
        for target in targets.split()
    ]
    sends.append({"from": "echo", "to": "hall", "level_db": -9.0})
    throw = {"at": f"{SECTION_BARS}|3", "length": "1/2", "value": 0.0, "ramp_in": "1/16"}
    sections = [{"value": -28.0, "section": "s1", "ramp": "1/4"}]
    document = {
        "format": "high-hall-plan",
        "version": 1,
        "song": {
            "title": title,
            "sample_rate": RATE,
            "meters": [{"bar": 1, "beats": 4, "unit": 4}],
            "tempos": [{"at": "1|1", "bpm": bpm}],
            "end": f"{BARS + 1}|1",
            "sections": [
                {"id": f"s{n}", "start": f"{n * SECTION_BARS + 1}|1", "end": f"{(n + 1) * SECTION_BARS + 1}|1"}
                for n in range(BARS // SECTION_BARS)
            ],
        },
        "groups": [{"id": "band", "level_db": -1.5, "tone": {"bands": [{"shape": "high_cut", "hz": 12000}]}}],
        "tracks": [
            {"id": source, "stem": f"{source}.wav", "pan": pan, "group": None if source == "voice" else "band"}
            for source, pan in zip(SOURCES, (0.0, -0.4, 0.1, 0.0), strict=True)
        ],
        "returns": [{"id": key, "chain": chain} for key, chain in chains.items()],
        "sends": sends,
        "moves": [
            {"target": {"send": ["voice", "echo"], "param": "level_db"}, "throws": [throw]},
            {"target": {"send": ["pad", "hall"], "param": "level_db"}, "sections": sections},
        ],
    }
    plan = plan_from_document(document)
    stems = {f"{source}.wav": _stem(source, plan.song.end_sample, 60 / bpm, number) for source in SOURCES}
    return plan, Stems(stems, {"stairwell.flac": read_response(example_response("stairwell"), RATE)})


PRE = ("drum", "stairs")


def _reverb(space: str, decay_s: float) -> dict[str, Any]:
    return {"kind": "reverb", "params": {"space": space, "decay_s": decay_s, "pre_delay": "20ms"}}


def _low_cut(hz: float) -> dict[str, Any]:
    return {"kind": "tone", "params": {"bands": [{"shape": "low_cut", "hz": hz}]}}


def _stem(source: str, frames: int, beat_s: float, seed: int) -> np.ndarray:
    chance, time = np.random.default_rng(10 * seed + SOURCES.index(source)), np.arange(frames) / RATE
    beat = time % beat_s
    notes = 220 * 2 ** (chance.integers(0, 13, int(time[-1] / beat_s) + 2) / 12)
    pitch = notes[(time / beat_s).astype(int)]
    if source == "pad":
        chord = (146.8, 220.0, 261.6, 329.6)
        waver = [
            np.sin(2 * np.pi * hz * time + 0.004 * hz * np.sin(2 * np.pi * (4.1 + n) * time))
            for n, hz in enumerate(chord)
        ]
        sound = 0.05 * sum(waver)
    elif source == "harp":
        sound = 0.2 * np.exp(-5 * beat) * np.sin(2 * np.pi * pitch * beat) * np.minimum(1, beat / 0.002)
    elif source == "drum":
        eighth = time % (beat_s / 2)
        sound = 0.2 * chance.standard_normal(frames) * np.exp(-35 * eighth)
    else:
        vibrato = np.cumsum(pitch * (1 + 0.006 * np.sin(2 * np.pi * 5.3 * time))) / RATE
        breath = (time % (8 * beat_s) < 6 * beat_s) * np.minimum(1, np.minimum(beat, beat_s - beat) / 0.02)
        sound = 0.06 * breath * sum(np.sin(2 * np.pi * k * vibrato) / k for k in range(1, 9))
    return np.asarray(sound, np.float32)[None]
