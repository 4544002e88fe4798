"""Filters at work on a stereo signal."""

import math
from collections.abc import Iterable

import numpy as np

from highhall.effects.ringing import MEMORY_DB
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.tone.filters import sections_of
from highhall.effects.tone.kernel import FUSED, filter_four
from highhall.plan.model import Filter

_PASS_THROUGH = (1.0, 0.0, 0.0, 0.0, 0.0)


class SectionFilter:
    """Any number of second-order sections, (sections, 5), with their state.

    `states`, (sections or more, 4), is left s1, s2, right s1, s2 of each; what fills up the last pass stays 0.
    """

    def __init__(self, sections: Coefficients) -> None:
        self._passes = _in_passes(sections)
        self.states = np.zeros((len(self._passes) * FUSED, 4))

    def process(self, block: Signal) -> Signal:
        """Return the filtered block, (2, frames)."""
        return self._run(self._passes, block)

    def process_with(self, sections: Coefficients, block: Signal) -> Signal:
        """Return the block filtered through other sections, as many, with the state there is."""
        return self._run(_in_passes(sections), block)

    def _run(self, passes: list[Coefficients], block: Signal) -> Signal:
        if not passes:
            return block
        out = np.empty_like(block)
        source = block
        for index, sections in enumerate(passes):
            filter_four(source, out, sections, self.states[index * FUSED : (index + 1) * FUSED])
            source = out
        return out


def _in_passes(sections: Coefficients) -> list[Coefficients]:
    passes = math.ceil(len(sections) / FUSED)
    padded = np.tile(_PASS_THROUGH, (passes * FUSED, 1))
    padded[: len(sections)] = sections
    return [np.ascontiguousarray(part) for part in padded.reshape(passes, FUSED, 5)]


class Tone:
    """A tone effect, or a group's tone. See `highhall.effects.processor.Processor`."""

    longest_gap_s = 0.0

    def __init__(self, filters: Iterable[Filter], sample_rate: int) -> None:
        sections = sections_of(filters, sample_rate)
        self._filter = SectionFilter(sections)
        self.memory_s = self.falling_s = memory_s(sections, sample_rate)

    def process(self, block: Signal, start_sample: int) -> Signal:  # noqa: ARG002 - nothing wanders here
        """Return the filtered block."""
        return self._filter.process(block)


def memory_s(sections: Coefficients, sample_rate: int) -> float:
    """Return the time in which the slowest pole falls by 110 dB."""
    radius = max((float(np.max(np.abs(np.roots([1, a1, a2])))) for *_, a1, a2 in sections), default=0.0)
    if radius <= 0:
        return 0.0
    return -MEMORY_DB / 20 * math.log(10) / math.log(min(radius, 1 - 1e-9)) / sample_rate
