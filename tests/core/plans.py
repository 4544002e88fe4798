"""Plan documents to start from; every test changes its own copy."""

import copy
from pathlib import Path
from typing import Any

import numpy as np

from highhall.plan import Plan, plan_from_document
from highhall.render import Stems

EXAMPLE: dict[str, Any] = {
    "format": "high-hall-plan",
    "version": 1,
    "song": {
        "title": "Lantern Over Skerry",
        "sample_rate": 48000,
        "meters": [{"bar": 1, "beats": 6, "unit": 8}],
        "tempos": [
            {"at": "1|1", "bpm": 58.0, "beat": "1/4."},
            {"at": "55|1", "bpm": 50.0, "beat": "1/4.", "ramp": True},
        ],
        "sections": [
            {"id": "verse-1", "name": "Verse 1", "start": "5|1", "end": "13|1"},
            {"id": "refrain-1", "name": "Refrain 1", "start": "13|1", "end": "21|1"},
            {"id": "bridge", "name": "Bridge", "start": "37|1", "end": "43|1"},
        ],
        "end": "57|1",
    },
    "groups": [
        {
            "id": "strings",
            "name": "Strings & Winds",
            "tone": {"bands": [{"shape": "low_cut", "hz": 90, "slope_db_oct": 12}]},
        }
    ],
    "tracks": [
        {
            "id": "fiddle",
            "name": "Fiddle",
            "group": "strings",
            "stem": "stems/fiddle.flac",
            "level_db": -3.0,
            "pan": -0.2,
        }
    ],
    "returns": [
        {
            "id": "long-hall",
            "name": "Long Hall",
            "chain": [
                {"id": "space", "kind": "reverb", "params": {"space": "hall", "decay_s": 3.8, "pre_delay": "1/16"}},
                {
                    "id": "tone",
                    "kind": "tone",
                    "params": {
                        "bands": [
                            {"shape": "low_cut", "hz": 220, "slope_db_oct": 24},
                            {"shape": "bell", "hz": 2600, "gain_db": -4.0, "q": 1.2},
                        ]
                    },
                },
            ],
        }
    ],
    "sends": [{"from": "fiddle", "to": "long-hall", "level_db": -14.0}],
    "moves": [
        {
            "target": {"send": ["fiddle", "long-hall"], "param": "level_db"},
            "sections": [
                {"section": "verse-1", "value": -20.0},
                {"section": "refrain-1", "value": -11.0, "ramp": "1/4", "ramp_side": "before"},
            ],
            "points": [{"at": "30|1", "value": -15.0}, {"at": "31|1", "value": -9.0, "shape": "linear"}],
            "throws": [{"at": "12|4", "length": "1/4", "value": -4.0, "ramp_in": "10ms", "ramp_out": "1/16"}],
        },
        {"target": {"return": "long-hall", "param": "level_db"}, "sections": [{"section": "bridge", "value": 2.0}]},
        {
            "target": {"return": "long-hall", "step": "space", "param": "decay_s"},
            "sections": [{"section": "bridge", "value": 5.0}],
        },
    ],
}


def example() -> dict[str, Any]:
    return copy.deepcopy(EXAMPLE)


def make_document(*, bars: int = 8, bpm: float = 120.0) -> dict[str, Any]:
    """Three tracks, one of them in a group, two returns that feed each other one way."""
    return {
        "format": "high-hall-plan",
        "version": 1,
        "song": {
            "title": "Test",
            "sample_rate": 48000,
            "meters": [{"bar": 1, "beats": 4, "unit": 4}],
            "tempos": [{"at": "1|1", "bpm": bpm}],
            "sections": [
                {"id": "a", "start": "1|1", "end": "3|1"},
                {"id": "b", "start": "3|1", "end": "5|1"},
            ],
            "end": f"{bars + 1}|1",
        },
        "groups": [{"id": "band", "level_db": -2.0, "tone": {"bands": [{"shape": "high_cut", "hz": 9000}]}}],
        "tracks": [
            {"id": "voice", "stem": "voice.wav", "level_db": -3.0, "pan": 0.3},
            {"id": "harp", "stem": "harp.wav", "group": "band"},
            {"id": "drum", "stem": "drum.wav", "group": "band", "level_db": -6.0},
        ],
        "returns": [
            {
                "id": "plate",
                "output": "band",
                "chain": [{"kind": "reverb", "params": {"space": "plate", "decay_s": 0.8}}],
            },
            {
                "id": "hall",
                "width": 1.2,
                "chain": [
                    {"kind": "reverb", "params": {"space": "hall", "decay_s": 1.5, "pre_delay": "1/16"}},
                    {"kind": "tone", "params": {"bands": [{"shape": "low_cut", "hz": 200}]}},
                ],
            },
        ],
        "sends": [
            {"from": "voice", "to": "plate", "level_db": -10.0},
            {"from": "voice", "to": "hall", "level_db": -16.0, "tap": "pre"},
            {"from": "band", "to": "hall", "level_db": -12.0},
            {"from": "plate", "to": "hall", "level_db": -9.0},
        ],
        "moves": [
            {
                "target": {"send": ["voice", "hall"], "param": "level_db"},
                "sections": [{"section": "b", "value": -6.0, "ramp": "1/8"}],
            }
        ],
    }


def make_plan(**limits: Any) -> Plan:
    return plan_from_document(make_document(**limits))


def make_stems(plan: Plan, seconds: float | None = None, seed: int = 0) -> Stems:
    """Noise in bursts for every track; the last one in stereo."""
    rng = np.random.default_rng(seed)
    frames = plan.song.end_sample if seconds is None else int(seconds * plan.song.sample_rate)
    gate = (np.sin(2 * np.pi * np.arange(frames) / 30000) > 0).astype(np.float32)
    sources = {}
    for index, track in enumerate(plan.tracks):
        channels = 2 if index == len(plan.tracks) - 1 else 1
        sources[track.stem] = (0.1 * rng.standard_normal((channels, frames)) * gate).astype(np.float32)
    return Stems(sources)


def write_stem(path: Path, samples: np.ndarray, rate: int = 48000) -> None:
    import soundfile as sf

    path.parent.mkdir(parents=True, exist_ok=True)
    sf.write(path, samples.T, rate, subtype="FLOAT" if path.suffix == ".wav" else "PCM_24")
