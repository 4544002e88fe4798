"""Songs whose depth is known, and sources of several kinds, for tests of the depth model and of what it solves."""

import math
from typing import Any

import numpy as np

from highhall.depth import DepthModel, StemTable, sounds_of
from highhall.measure.loudness import k_weighted
from highhall.plan import Plan, plan_from_document
from highhall.plan.isolation import alone
from highhall.render import Engine, Stems
from tests.core.plans import make_document
from tests.core.signals import RATE

WIRE = {"kind": "offset", "params": {"left_ms": 0, "right_ms": 0}}


def song(*, bars: int = 6, **changes: Any) -> Plan:
    """Sections a and b of two bars of two seconds each; a voice that feeds a wire at -6 dB."""
    document = make_document(bars=bars)
    document.update(
        groups=[{"id": "band", "level_db": -2.0, "tone": {"bands": [{"shape": "high_cut", "hz": 2000}]}}],
        tracks=[{"id": "voice", "stem": "voice.wav"}, {"id": "harp", "stem": "harp.wav", "group": "band"}],
        returns=[{"id": "wire", "chain": [WIRE]}],
        sends=[{"from": "voice", "to": "wire", "level_db": -6.0}],
        moves=[],
    )
    document.update(changes)
    return plan_from_document(document)


def noise(seconds: float = 12.0, channels: int = 1, seed: int = 1) -> np.ndarray:
    return (0.1 * np.random.default_rng(seed).standard_normal((channels, round(seconds * RATE)))).astype(np.float32)


def held() -> np.ndarray:
    """A chord whose notes waver by a few cents, each in its own time, as all that is played does."""
    time = np.arange(12 * RATE) / RATE
    notes = enumerate((196.0, 246.9, 293.7, 392.0))
    tones = [np.sin(2 * np.pi * hz * time + 0.004 * hz * np.sin(2 * np.pi * (4.1 + n) * time)) for n, hz in notes]
    return (0.05 * sum(tones))[None].astype(np.float32)


def plucked() -> np.ndarray:
    time = np.arange(RATE // 2) / RATE
    pitches = 220 * 2 ** (np.random.default_rng(4).integers(0, 12, 24) / 12)
    notes = [np.exp(-6 * time) * np.sin(2 * np.pi * hz * time) for hz in pitches]
    return 0.2 * np.concatenate(notes)[None].astype(np.float32)


def struck() -> np.ndarray:
    time = np.arange(RATE // 4) / RATE
    noises = np.random.default_rng(3).standard_normal((2, 48, len(time)))
    return (0.2 * noises * np.exp(-40 * time)).reshape(2, -1).astype(np.float32)


def reverb(space: str, decay_s: float) -> dict[str, Any]:
    return {"kind": "reverb", "params": {"space": space, "decay_s": decay_s}}


def stems_of(voice: np.ndarray, harp: np.ndarray | None = None) -> Stems:
    return Stems({"voice.wav": voice, "harp.wav": noise(channels=2, seed=2) if harp is None else harp})


def model_of(plan: Plan, voice: np.ndarray, harp: np.ndarray | None = None) -> DepthModel:
    return DepthModel(plan, StemTable.of(plan, sounds_of(plan, stems_of(voice, harp))))


def rendered_db(plan: Plan, stems: Stems, source: str) -> dict[str, float]:
    """Return wet over dry of a source that is rendered alone, by section."""
    block = Engine(alone(plan, {source}), stems).advance(plan.song.end_sample)
    wet, dry = (np.sum(k_weighted(sound, RATE) ** 2, axis=0) for sound in (block.main - block.dry, block.dry))
    spans = {
        s.id: slice(plan.song.time.sample_at(s.start), plan.song.time.sample_at(s.end)) for s in plan.song.sections
    }
    return {key: 10 * math.log10(wet[span].sum() / dry[span].sum()) for key, span in spans.items()}
