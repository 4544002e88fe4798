"""Signals with known answers, and songs to put them in."""

import itertools
from collections.abc import Callable
from typing import Any

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects import Chain, Processor, processor_of
from highhall.plan import Song, Tempo, plan_from_document
from highhall.plan.edits import effect_of_kind
from highhall.timing import Meter, Position

RATE = 48000


def make_song(*, bpm: float = 120.0, bars: int = 64, sample_rate: int = RATE, tempos: tuple[Tempo, ...] = ()) -> Song:
    return Song(
        title="Test",
        sample_rate=sample_rate,
        meters=(Meter(1, 4, 4),),
        tempos=tempos or (Tempo(at=Position(1), bpm=bpm),),
        end=Position(bars + 1),
    )


def make_effect(
    kind: str, *, bpm: float = 120.0, sample_rate: int = RATE, tempos: tuple[Tempo, ...] = (), **params: object
) -> Processor:
    """An effect of one kind at work, `space` or `left` and so on as parameters; impulse effects take `response` too."""
    response = params.pop("response", None)
    responses = {"ir.wav": response} if response is not None else {}
    effect = effect_of_kind(kind, "effect", {"ir": "ir.wav", **params} if responses else params)
    return processor_of(EffectCurves(effect, make_song(bpm=bpm, sample_rate=sample_rate, tempos=tempos)), responses)


def moved_chain(effects: list[dict[str, Any]], moves: list[dict[str, Any]], **song: Any) -> Chain:
    """The chain of a return in a song at 120 in 4/4 with the sections a (bars 1, 2), b (3, 4), c (5, 6)."""
    sections = [{"id": n, "name": n, "start": f"{2 * i + 1}|1", "end": f"{2 * i + 3}|1"} for i, n in enumerate("abc")]
    tempos = [{"at": "1|1", "bpm": 120.0}]
    document = {
        "format": "high-hall-plan", "version": 1,
        "song": {
            "title": "T", "sample_rate": RATE, "meters": [{"bar": 1, "beats": 4, "unit": 4}], "tempos": tempos,
            "sections": sections, "end": "33|1", **song,
        },
        "returns": [{"id": "r", "chain": effects}],
        "moves": [{**move, "target": {"return": "r", **move["target"]}} for move in moves],
    }  # fmt: skip
    plan = plan_from_document(document)
    return Chain.of(plan, plan.return_("r"))


def in_blocks(
    process: Callable[[np.ndarray, int], np.ndarray], signal: np.ndarray, sizes: list[int], first: int = 0
) -> np.ndarray:
    """What comes of a signal in blocks of the sizes, again and again."""
    parts, start = [], 0
    for size in itertools.cycle(sizes):
        if start >= signal.shape[1]:
            return np.concatenate(parts, axis=1)
        parts.append(process(np.ascontiguousarray(signal[:, start : start + size]), first + start))
        start += size
    return np.empty((2, 0))


def click_db(signal: np.ndarray, around: int, reach: int = 2400) -> float:
    """How far the largest fourth difference near a sample lies over the RMS of the sound around it."""
    near = signal[:, around - reach : around + reach].astype(np.float64)
    return float(20 * np.log10(np.abs(np.diff(near, 4, axis=1)).max() / np.sqrt(np.mean(near**2))))


def impulse(seconds: float, *, side: int | None = None, rate: int = RATE) -> np.ndarray:
    signal = np.zeros((2, int(seconds * rate)), np.float32)
    signal[slice(None) if side is None else side, 0] = 1.0
    return signal


def pink_noise(frames: int, rng: np.random.Generator, rate: int = RATE) -> np.ndarray:
    """Uncorrelated stereo noise of equal power in each octave from 20 Hz to 20 kHz, RMS 0.1 a side."""
    frequencies = np.fft.rfftfreq(frames, 1 / rate)
    inside = (frequencies >= 20) & (frequencies <= 20000)
    shape = np.where(inside, 1 / np.sqrt(np.maximum(frequencies, 1)), 0)
    signal = np.fft.irfft(np.fft.rfft(rng.standard_normal((2, frames)), axis=1) * shape, frames, axis=1)
    return (0.1 * signal / np.sqrt(np.mean(signal**2, axis=1, keepdims=True))).astype(np.float32)


def power(signal: np.ndarray) -> float:
    """Mean power summed over sides."""
    return float(np.sum(np.mean(signal.astype(np.float64) ** 2, axis=1)))


def db(ratio: float) -> float:
    return 10 * np.log10(ratio)
