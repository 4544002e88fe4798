"""The reverb effect: pre-delay, a DC blocker, and the network with its state."""

import math
from functools import lru_cache

import numpy as np

from highhall.curves import CELL, Curve, EffectCurves, Run, runs
from highhall.effects.delay import CELL_STEPS, GLIDING_REACH, LAGRANGE, PreDelay, cell_edges
from highhall.effects.pitch_shift import shifting_heads
from highhall.effects.reverb.dc_blocker import dc_blocker
from highhall.effects.reverb.decay import DECAY_PARAMETERS, DecayCurve
from highhall.effects.reverb.design import Settings, Structure, reflections_for, settings_of, structure_for
from highhall.effects.reverb.network import (
    BLOCK,
    COPIED,
    LINES,
    SLIDE,
    Gains,
    Layout,
    Motion,
    Scratch,
    State,
    run_network,
)
from highhall.effects.reverb.rings import SLACK, empty_rings
from highhall.effects.ringing import MEMORY_DB
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.sines import sine
from highhall.effects.vectors import aligned, whole_vectors

_SWEEP_S = 0.06
_AT_ONCE = 64  # moving runs whose settings are worked out together


class Reverb:
    """A reverb effect. See `highhall.effects.processor.Processor`."""

    def __init__(self, effect: EffectCurves) -> None:
        self._pre_delay = PreDelay(effect.times("pre_delay"), effect.time)
        self._effect, rate = effect, effect.sample_rate
        self._curves = [effect.curve(name) for name in (*DECAY_PARAMETERS, "early_db")]
        self._network: _Network | None = None  # made when sound comes: often only the times below are asked for
        self._is_stereo = bool(effect.effect.value("stereo"))
        early_s = float(reflections_for(effect.effect, rate).delays.max()) / rate
        decay_s, low_ratio, _, high_ratio, _ = (curve.extremes[1] for curve in self._curves[:5])
        self.longest_gap_s = self._pre_delay.longest_s + early_s
        self.falling_s = decay_s * max(1.0, low_ratio, high_ratio) * MEMORY_DB / 60
        self.memory_s = self.longest_gap_s + self.falling_s + 0.2

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the space's answer to the block."""
        if self._network is None:
            self._network = _Network(self._effect, self._curves)
        source = self._pre_delay.process(block, start_sample)
        parts = []
        for run, settings in self._network.runs(start_sample, start_sample + block.shape[1]):
            part = source[:, run.start - start_sample : run.stop - start_sample]
            parts.append(self._network.process(np.ascontiguousarray(part), run, settings))
        wet = parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)
        if not self._is_stereo:
            wet[1] = wet[0]
        return wet


@lru_cache(maxsize=128)
def _still_settings(structure: Structure, values: tuple[float, ...], sample_rate: int) -> Settings:
    return _settings_at(structure, [values, values], sample_rate)


def _settings_at(structure: Structure, moments: list[tuple[float, ...]], sample_rate: int) -> Settings:
    *decay, early = np.array(moments).T
    return settings_of(
        structure,
        DecayCurve(**dict(zip(DECAY_PARAMETERS, (v[:, None] for v in decay), strict=True))),
        early,
        sample_rate,
    )


def _moments(settings: Settings, first: int, last: int) -> Settings:
    return Settings(
        shelves=settings.shelves[first:last],
        diffuser_gains=settings.diffuser_gains[first:last],
        reflection_gains=settings.reflection_gains[first:last],
        input_gains=settings.input_gains[first:last],
    )


class _Network:
    """State and scratch of one network."""

    def __init__(self, effect: EffectCurves, curves: list[Curve]) -> None:
        """`curves` are those of the decay and of the early level."""
        self._rate, self._curves = effect.sample_rate, curves
        self._structure = structure = structure_for(effect.effect, curves[0].extremes[0], self._rate)
        still = [curve.constant for curve in curves if curve.constant is not None]
        self._still = _still_settings(structure, tuple(still), self._rate) if len(still) == len(curves) else None
        self._mod_depth, self._mod_hz, self._feed = (effect.curve(n) for n in ("mod_depth", "mod_hz", "shift_feed"))
        self._semitones = effect.effect.number("shift_semitones")
        is_shifted = bool(self._feed.extremes[1] > 0 and self._semitones != 0)
        wander = math.ceil(structure.depth) + 2 * GLIDING_REACH
        reaches = structure.lengths + (structure.wanders >= 0) * wander
        diffuser_history = whole_vectors(int(structure.diffuser_lengths.max(initial=0)))
        early_history = whole_vectors(int(structure.reflections.delays.max()) + 1)
        shift_history = whole_vectors(int(_SWEEP_S * self._rate) + 16) if is_shifted else 0
        lines, rings = empty_rings(reaches, 2 * wander, BLOCK, COPIED)
        self._layout = Layout(
            lengths=structure.lengths, wanders=structure.wanders,
            inputs=structure.inputs.astype(np.float32), outputs=structure.outputs.astype(np.float32),
            diffuser_lengths=structure.diffuser_lengths, reflection_delays=structure.reflections.delays,
            dc_blocker=dc_blocker(self._rate), is_shifted=is_shifted, block=structure.block, steps=CELL_STEPS, scales=LAGRANGE,
        )  # fmt: skip
        self._state = State(
            lines=lines, rings=rings,
            diffusers=aligned(2, structure.diffuser_lengths.shape[1], diffuser_history + SLIDE + SLACK),
            early=aligned(2, early_history + SLIDE + SLACK),
            shifted=aligned(2, shift_history + SLIDE + SLACK if is_shifted else 0),
            cursors=np.array([diffuser_history, early_history, shift_history], np.int64),
            shelves=aligned(2 * LINES), dc=np.zeros(2, np.float32),
        )  # fmt: skip
        self._scratch = Scratch(blocks=aligned(3, 2, BLOCK), square=aligned(LINES * LINES))

    def runs(self, start: int, stop: int) -> list[tuple[Run, Settings]]:
        """Return all runs with their settings, two moments each: those at the ends of what moves."""
        if self._still is not None:
            return [(Run(start, stop, (), ()), self._still)]
        found = list(runs(start, stop, self._curves))
        still = [run for run in found if run.is_still]
        moving = [run for run in found if not run.is_still]
        rate = self._rate
        settings = {run.start: _still_settings(self._structure, run.first, rate) for run in still}
        for first in range(0, len(moving), _AT_ONCE):
            part = moving[first : first + _AT_ONCE]
            both = _settings_at(self._structure, [values for run in part for values in (run.first, run.last)], rate)
            for index, run in enumerate(part):
                settings[run.start] = _moments(both, 2 * index, 2 * index + 2)
        return [(run, settings[run.start]) for run in found]

    def process(self, block: Signal, run: Run, settings: Settings) -> Signal:
        """Return the network's output for the block of a run, (2, frames)."""
        out = np.empty_like(block)
        before, after = settings.input_gains
        slope = (after - before) / CELL
        gains = Gains(
            fed=before + slope * (run.start % CELL), slope=slope, shelves=settings.shelves[0],
            diffusers=settings.diffuser_gains[0], reflections=settings.reflection_gains[0],
        )  # fmt: skip
        run_network(block, out, run.start, self._layout, self._state, gains, self._motion(run), self._scratch)
        return out

    def _delays(self, run: Run) -> Coefficients:
        """Return where the lines that wander are at the cells' edges, (rows, cells + 1)."""
        structure = self._structure
        edges = cell_edges(run.start, run.stop)
        depth = structure.depth * self._mod_depth.at_each(edges)
        phases = structure.spreads[:, None] * self._mod_hz.phases(edges) + structure.phases[:, None]
        delays: Coefficients = structure.lengths[structure.wanders >= 0][:, None] + depth * sine(phases)
        return delays

    def _motion(self, run: Run) -> Motion:
        delays = self._delays(run)
        if not self._layout.is_shifted:
            return Motion(delays, np.zeros((2, 0)), np.zeros((2, 0), np.float32), np.zeros(0, np.float32))
        edges = cell_edges(run.start, run.stop).astype(np.float64)
        turns = edges * (1 - 2 ** (self._semitones / 12)) / (_SWEEP_S * self._rate)
        heads, shares = shifting_heads(turns, run.start, run.stop, _SWEEP_S * self._rate)
        feed = self._feed.values(run.start, run.stop).astype(np.float32)
        return Motion(delays, heads + _SWEEP_S * self._rate / 2 + GLIDING_REACH + 1, shares, feed)
