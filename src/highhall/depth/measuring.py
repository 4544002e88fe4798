"""A source rendered alone: what the model predicts, measured."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy import signal as scipy_signal

from highhall.depth.sources import section_spans
from highhall.depth.stem_table import Powers, with_whole
from highhall.measure.loudness import k_weighting
from highhall.plan import Plan
from highhall.plan.isolation import alone
from highhall.render import Engine, Stems

_BLOCK_S = 2


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """The K-weighted powers at main of a source that is rendered alone, by section, the whole song last.

    dry, wet: (sections + 1,). by_return: (returns of the plan, sections + 1). wet is less or more than their sum by what
    they do to each other.
    """

    dry: Powers
    wet: Powers
    by_return: Powers


def measured(plan: Plan, stems: Stems, track_id: str, give_way: Callable[[], None] = lambda: None) -> Measured:
    """Render one source of a plan alone, from the song's start to its end, and return what is measured.

    `give_way` is called before every two seconds of sound.
    """
    rate, spans = plan.song.sample_rate, np.array(section_spans(plan))
    engine = Engine(alone(plan, {track_id}), stems)
    parts = 2 + len(plan.returns)
    meter = _Meter(rate, parts, spans)
    while engine.position < plan.song.end_sample:
        give_way()
        block = engine.advance(_BLOCK_S * rate)
        returns = [block.returns[return_.id] for return_ in plan.returns]
        meter.add(np.stack([block.dry, block.main - block.dry, *returns]))
    dry, wet, *by_return = with_whole(meter.powers, spans)
    return Measured(dry, wet, np.array(by_return).reshape(len(plan.returns), -1))


class _Meter:
    """Means of K-weighted power between samples, of several stereo sounds at once."""

    def __init__(self, sample_rate: int, sounds: int, spans: np.ndarray) -> None:
        self._sections, self._spans, self._at = k_weighting(sample_rate), spans, 0
        self._state = np.zeros((len(self._sections), sounds, 2, 2))
        self._energies = np.zeros((sounds, len(spans)))

    def add(self, block: np.ndarray) -> None:
        """Take the next (sounds, 2, frames)."""
        weighted, self._state = scipy_signal.sosfilt(self._sections, block, axis=2, zi=self._state)
        gathered = np.concatenate([np.zeros((len(block), 1)), np.cumsum(np.sum(weighted**2, axis=1), axis=1)], axis=1)
        first, last = np.clip(self._spans - self._at, 0, block.shape[2]).T
        self._energies += gathered[:, last] - gathered[:, first]
        self._at += block.shape[2]

    @property
    def powers(self) -> Powers:
        """The mean power of every sound in every span, (sounds, spans)."""
        powers: Powers = self._energies / np.diff(self._spans, axis=1)[:, 0]
        return powers
