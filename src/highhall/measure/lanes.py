"""A plan rendered once, and what its parts are like: main, the dry sound, and every return as it reaches main."""

from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.effects import Signal
from highhall.measure.loudness import HOP_S
from highhall.measure.phrases import FRAME_S
from highhall.measure.stem_analysis import Listener, StemAnalysis
from highhall.measure.true_peak import TruePeak
from highhall.plan import MAIN, Plan
from highhall.render import Engine, Stems
from highhall.render.engine import DRY

_BLOCK_HOPS = 100
_THREADS = 2


@dataclass(frozen=True, slots=True, eq=False)
class Peaks:
    """The peaks of a part: true_peak, linear (ITU-R BS.1770-4); peaks, the largest magnitude of every 10 ms."""

    true_peak: float
    peaks: NDArray[np.float32]

    def along(self, steps: int) -> NDArray[np.float32]:
        """Return the largest magnitude in each of at most so many equal stretches of the song."""
        size = max(-(-len(self.peaks) // steps), 1)
        padded = np.pad(self.peaks, (0, -len(self.peaks) % size))
        largest: NDArray[np.float32] = padded.reshape(-1, size).max(axis=1)
        return largest


def lanes_of(plan: Plan, stems: Stems, *, give_way: Callable[[], None] = lambda: None) -> Mapping[str, StemAnalysis]:
    """Return an analysis of every part, by "main", "dry" and the ids of returns, from the song's start to its end.

    give_way: called before every ten seconds of sound.
    """
    listeners = {part: Listener(2, plan.song.sample_rate) for part in _parts(plan)}
    with ThreadPoolExecutor(_THREADS) as pool:
        for block in _rendered(plan, stems, pool, give_way):
            list(pool.map(lambda part, block=block: listeners[part].add(block[part]), listeners))
        return dict(zip(listeners, pool.map(Listener.finish, listeners.values()), strict=True))


def peaks_of(plan: Plan, stems: Stems, *, give_way: Callable[[], None] = lambda: None) -> Mapping[str, Peaks]:
    """Return the peaks of every part, as `lanes_of` returns their analyses, in a fraction of the time."""
    parts, frame = _parts(plan), round(FRAME_S * plan.song.sample_rate)
    meters: dict[str, TruePeak] = {part: TruePeak() for part in parts}
    frames: dict[str, list[NDArray[np.float32]]] = {part: [] for part in parts}

    def add(part: str, sound: Signal) -> None:
        meters[part].add(sound)
        magnitudes = np.abs(sound).max(axis=0)
        frames[part].append(np.maximum.reduceat(magnitudes, np.arange(0, len(magnitudes), frame)))

    with ThreadPoolExecutor(_THREADS) as pool:
        for block in _rendered(plan, stems, pool, give_way):
            list(pool.map(add, block, block.values()))
    return {part: Peaks(meters[part].finish(), np.concatenate(frames[part])) for part in parts}


def _parts(plan: Plan) -> list[str]:
    return [MAIN, DRY, *(return_.id for return_ in plan.returns)]


def _rendered(
    plan: Plan, stems: Stems, pool: ThreadPoolExecutor, give_way: Callable[[], None]
) -> Iterator[dict[str, Signal]]:
    """Yield the song in blocks of ten seconds, the last shorter, each as its parts."""
    size, end = _BLOCK_HOPS * round(HOP_S * plan.song.sample_rate), plan.song.end_sample
    engine = Engine(plan, stems, executor=pool)
    while engine.position < end:
        give_way()
        block = engine.advance(min(size, end - engine.position))
        yield {MAIN: block.main, DRY: block.dry, **block.returns}
