"""Filters whose frequency or gain moves.

Coefficients are worked out at both ends of a cell and go on a line between them.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from highhall.curves import Curve, EffectCurves, runs
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.tone.effect import SectionFilter, Tone, memory_s
from highhall.effects.tone.filters import HIGHEST_SHARE, sections_of
from highhall.effects.tone.kernel import filter_gliding
from highhall.plan.model import Filter


@dataclass(frozen=True, slots=True, kw_only=True)
class MovingFilter:
    """A filter with curves for what may move."""

    shape: str
    hz: Curve
    gain_db: Curve | None = None
    q: float = 0.707
    slope_db_oct: int = 12

    def at(self, hz: float, gain_db: float) -> Filter:
        """Return the filter at one moment."""
        return Filter(shape=self.shape, hz=hz, gain_db=gain_db, q=self.q, slope_db_oct=self.slope_db_oct)


class MovingFilters:
    """Filters at work that may move."""

    def __init__(self, filters: Sequence[MovingFilter], sample_rate: int) -> None:
        self._filters, self._rate = filters, sample_rate
        self._curves = [curve for filter_ in filters for curve in (filter_.hz, filter_.gain_db) if curve is not None]
        lowest = self._sections(tuple(curve.extremes[0] for curve in self._curves))
        self._filter = SectionFilter(lowest)
        self.memory_s = memory_s(lowest, sample_rate)

    def _sections(self, values: tuple[float, ...]) -> Coefficients:
        left = list(values)
        chosen = []
        for filter_ in self._filters:
            hz = min(left.pop(0), HIGHEST_SHARE * self._rate)
            chosen.append(filter_.at(hz, left.pop(0) if filter_.gain_db is not None else 0.0))
        return sections_of(chosen, self._rate)

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the filtered block, (2, frames)."""
        out = np.empty_like(block)
        for run in runs(start_sample, start_sample + block.shape[1], self._curves):
            here = slice(run.start - start_sample, run.stop - start_sample)
            source = np.ascontiguousarray(block[:, here])
            sections = self._sections(run.first)
            if run.is_still:
                out[:, here] = self._filter.process_with(sections, source)
            else:
                glided = np.empty_like(source)
                last = self._sections(run.last)
                filter_gliding(source, glided, sections, last, run.parts(), self._filter.states)
                out[:, here] = glided
        return out


class MovingTone:
    """A tone effect with filters that move. See `highhall.effects.processor.Processor`."""

    longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        filters = [
            MovingFilter(
                shape=filter_.shape,
                hz=effect.filter_curve(index, "hz"),
                gain_db=effect.filter_curve(index, "gain_db"),
                q=filter_.q,
                slope_db_oct=filter_.slope_db_oct,
            )
            for index, filter_ in enumerate(effect.effect.filters)
            if filter_.on
        ]
        self._filters = MovingFilters(filters, effect.sample_rate)
        self.memory_s = self.falling_s = self._filters.memory_s

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the filtered block."""
        return self._filters.process(block, start_sample)


def tone_of(effect: EffectCurves) -> Tone | MovingTone:
    """Return a tone effect at work, whether its filters move or not."""
    moves = any("/" in name for name in effect.moves)
    return MovingTone(effect) if moves else Tone(effect.effect.filters, effect.sample_rate)
