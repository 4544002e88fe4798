"""The reverb step: pre-delay, a guard against DC, and the network with its state."""

import numpy as np

from highhall.effects.delay import PreDelay
from highhall.effects.effect import NotRenderedError
from highhall.effects.reverb.design import Design, design_reverb
from highhall.effects.reverb.network import (
    BLOCK,
    CELL_STEPS,
    INTERPOLATION_REACH,
    LINES,
    SLIDE,
    run_network,
)
from highhall.effects.reverb.spaces import SPACES
from highhall.effects.signals import Signal
from highhall.effects.tone.bands import sections_of
from highhall.effects.tone.effect import SectionFilter
from highhall.plan.model import Band, Step
from highhall.timing import SongTime

_DC_GUARD = Band(shape="low_cut", hz=10.0, slope_db_oct=6)
_MEMORY_DB = 110


class Reverb:
    """A reverb step. See `highhall.effects.effect.Effect`.

    Raises
    ------
    NotRenderedError
        For a space, or a tail shift, that has no sound yet.
    """

    def __init__(self, step: Step, song_time: SongTime) -> None:
        refuse_unrendered(step)
        design = design_reverb(step, song_time.sample_rate)
        self._pre_delay = PreDelay(step.time("pre_delay"), song_time)
        self._guard = SectionFilter(sections_of([_DC_GUARD], song_time.sample_rate))
        self._design = design
        self._network: _Network | None = None  # made when sound comes: often only the times below are asked for
        self._is_stereo = bool(step.value("stereo"))
        early_s = float(design.tap_delays.max()) / song_time.sample_rate
        self.longest_gap_s = self._pre_delay.longest_s + early_s
        self.memory_s = self.longest_gap_s + design.decay.longest_s * _MEMORY_DB / 60 + 0.2

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the space's answer to the block."""
        if self._network is None:
            self._network = _Network(self._design)
        wet = self._network.process(self._guard.process(self._pre_delay.process(block, start_sample)), start_sample)
        if not self._is_stereo:
            wet[1] = wet[0]
        return wet


def refuse_unrendered(step: Step) -> None:
    """Raise NotRenderedError if this reverb asks for what has no sound yet."""
    space = str(step.value("space"))
    if space not in SPACES:
        raise NotRenderedError(
            f'the space "{space}" of reverb "{step.id}" has no sound in this version; use one of {", ".join(SPACES)}'
        )
    if step.number("shift_semitones") != 0 or step.number("shift_feed") != 0:
        raise NotRenderedError(
            f'the tail shift of reverb "{step.id}" has no sound in this version; set shift_semitones and shift_feed to 0'
        )


class _Network:
    """State and scratch of one network."""

    def __init__(self, design: Design) -> None:
        history = int(design.lengths.max() + design.depths.max()) + 2 * INTERPOLATION_REACH
        diffuser_history = int(design.diffuser_lengths.max(initial=0)) + 1
        tap_history = int(design.tap_delays.max()) + 1
        stages = design.diffuser_lengths.shape[1]
        self._lines = np.zeros((LINES, history + SLIDE), np.float32)
        self._diffusers = np.zeros((2, stages, diffuser_history + SLIDE), np.float32)
        self._early = np.zeros((2, tap_history + SLIDE), np.float32)
        self._cursors = np.array([history, diffuser_history, tap_history], np.int64)
        self._shelf_state = np.zeros(2 * LINES, np.float32)
        self._x = np.zeros(LINES * BLOCK, np.float32)
        self._woven = np.zeros(LINES * BLOCK, np.float32)
        self._rows = np.zeros(LINES * BLOCK, np.float32)
        self._diffused = np.zeros((2, BLOCK), np.float32)
        self._input_gain = np.float32(design.input_gain)
        self._design = design
        self._shelves = design.shelves.astype(np.float32).ravel()
        self._inputs, self._outputs = design.inputs.astype(np.float32), design.outputs.astype(np.float32)
        self._diffuser_gains = design.diffuser_gains.astype(np.float32)
        self._tap_gains = design.tap_gains.astype(np.float32)

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the network's output for the block, (2, frames)."""
        out = np.empty_like(block)
        design = self._design
        run_network(
            block * self._input_gain, out, start_sample,
            self._lines, self._diffusers, self._early, self._cursors,
            design.lengths, design.depths, design.rates, design.phases,
            self._shelves, self._shelf_state, self._inputs, self._outputs,
            design.diffuser_lengths, self._diffuser_gains, design.tap_delays, self._tap_gains,
            self._x, self._woven, self._rows, self._diffused, design.block, CELL_STEPS,
        )  # fmt: skip
        return out
