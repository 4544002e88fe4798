"""Bands whose frequency or gain moves.

Coefficients are worked out at both ends of a cell and go on a line between them.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from highhall.curves import Curve, StepCurves, runs
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.tone.bands import HIGHEST_SHARE, sections_of
from highhall.effects.tone.effect import SectionFilter, Tone, memory_s
from highhall.effects.tone.kernel import filter_gliding
from highhall.plan.model import Band


@dataclass(frozen=True, slots=True, kw_only=True)
class MovingBand:
    """A band with curves for what may move."""

    shape: str
    hz: Curve
    gain_db: Curve | None = None
    q: float = 0.707
    slope_db_oct: int = 12

    def at(self, hz: float, gain_db: float) -> Band:
        """Return the band at one moment."""
        return Band(shape=self.shape, hz=hz, gain_db=gain_db, q=self.q, slope_db_oct=self.slope_db_oct)


class MovingBands:
    """Bands at work that may move."""

    def __init__(self, bands: Sequence[MovingBand], sample_rate: int) -> None:
        self._bands, self._rate = bands, sample_rate
        self._curves = [curve for band in bands for curve in (band.hz, band.gain_db) if curve is not None]
        lowest = self._sections(tuple(curve.extremes[0] for curve in self._curves))
        self._filter = SectionFilter(lowest)
        self.memory_s = memory_s(lowest, sample_rate)

    def _sections(self, values: tuple[float, ...]) -> Coefficients:
        left = list(values)
        chosen = []
        for band in self._bands:
            hz = min(left.pop(0), HIGHEST_SHARE * self._rate)
            chosen.append(band.at(hz, left.pop(0) if band.gain_db is not None else 0.0))
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
    """A tone step with bands that move. See `highhall.effects.effect.Effect`."""

    longest_gap_s = 0.0

    def __init__(self, step: StepCurves) -> None:
        bands = [
            MovingBand(
                shape=band.shape,
                hz=step.band_curve(index, "hz"),
                gain_db=step.band_curve(index, "gain_db"),
                q=band.q,
                slope_db_oct=band.slope_db_oct,
            )
            for index, band in enumerate(step.step.bands)
            if band.on
        ]
        self._bands = MovingBands(bands, step.sample_rate)
        self.memory_s = self._bands.memory_s

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the filtered block."""
        return self._bands.process(block, start_sample)


def tone_of(step: StepCurves) -> Tone | MovingTone:
    """Return a tone effect at work, whether its bands move or not."""
    moves = any("/" in name for name in step.moves)
    return MovingTone(step) if moves else Tone(step.step.bands, step.sample_rate)
