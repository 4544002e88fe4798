"""The echo effect: repeats in musical time, left and right on their own, with filters and drive in the loop.

The time may wander (wow) like a worn tape, may follow a tempo that changes, and may be moved: then the
reading at the new time takes the old one's place over 50 ms.

References
----------
J. Dattorro, "Effect design, part 2: delay-line modulation and chorus", J. Audio Eng. Soc. 45(10), 1997.
"""

import numpy as np

from highhall.curves import Curve, EffectCurves, runs
from highhall.effects.delay import SongDelay
from highhall.effects.feedback_line import PASS_CUT, FeedbackLine, first_order_cut, repeats_until
from highhall.effects.offset import SideDelays
from highhall.effects.ringing import MEMORY_DB
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.sines import sine

_MOST_DRIVE = 8.0
_SHORTEST_S = 0.0006


class Echo:
    """An echo effect. See `highhall.effects.processor.Processor`."""

    def __init__(self, effect: EffectCurves) -> None:
        self._rate = effect.sample_rate
        self._delays = [SongDelay(effect.times(side), effect.time) for side in ("left", "right")]
        self._feedback, self._cross = effect.curve("feedback"), effect.curve("cross")
        self._levels = [effect.curve("left_db"), effect.curve("right_db")]
        self._wow_depth, self._wow_hz = effect.curve("wow_depth_ms"), effect.curve("wow_hz")
        self._loop_curves = [effect.curve(name) for name in ("low_cut_hz", "high_cut_hz", "drive")]
        self._cuts = (not effect.is_null("low_cut_hz"), not effect.is_null("high_cut_hz"))
        self._input = str(effect.effect.value("input"))
        self._is_whole = self._wow_depth.constant == 0 and all(delay.is_whole for delay in self._delays)
        wow_s = self._wow_depth.extremes[1] / 1000
        longest_s = max(delay.longest_s for delay in self._delays) + wow_s
        shortest_s = max(min(delay.shortest_s for delay in self._delays) - wow_s, _SHORTEST_S)
        self._line = FeedbackLine(shortest_s * self._rate, longest_s * self._rate)
        self._offset = _side_offset(effect.curve("offset_ms"), self._rate)
        repeats = repeats_until(self._feedback.extremes[1], -MEMORY_DB)
        self.longest_gap_s = longest_s + (self._offset.longest_s if self._offset else 0.0)
        self.falling_s = (repeats - 1) * longest_s
        self.memory_s = self.longest_gap_s + self.falling_s

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the repeats, (2, frames)."""
        stop = start_sample + block.shape[1]
        out = np.empty_like(block)
        source = self._entering(block)
        for run in runs(start_sample, stop, self._loop_curves):
            here = slice(run.start - start_sample, run.stop - start_sample)
            out[:, here] = self._looped(np.ascontiguousarray(source[:, here]), run.start, run.stop, run.first)
        if self._offset:
            out = self._offset.process(out, start_sample)
        for side, level in enumerate(self._levels):
            if level.constant != 1.0:
                out[side] *= level.values(start_sample, stop).astype(np.float32)
        return out

    def _entering(self, block: Signal) -> Signal:
        if self._input == "stereo":
            return block
        middle = np.float32(0.5) * (block[0] + block[1])
        return np.stack([middle, middle if self._input == "mono" else np.zeros_like(middle)])

    def _looped(self, source: Signal, start: int, stop: int, values: tuple[float, ...]) -> Signal:
        low_hz, high_hz, drive = values
        cuts = (
            *(first_order_cut("low_cut", low_hz, self._rate) if self._cuts[0] else PASS_CUT),
            *(first_order_cut("high_cut", high_hz, self._rate) if self._cuts[1] else PASS_CUT),
        )
        delays, shares = self._readings(start, stop)
        return self._line.process(
            source, delays, shares,
            self._feedback.values(start, stop).astype(np.float32), self._cross.values(start, stop).astype(np.float32),
            cuts=cuts, drive=_MOST_DRIVE * drive, is_whole=self._is_whole,
        )  # fmt: skip

    def _readings(self, start: int, stop: int) -> tuple[Coefficients, Signal]:
        """Return the delays of all readings, (readings, 2, frames), and their shares, (readings, frames).

        Where both sides change at once every pair of a left and a right reading is one: the shares of each side's
        reading then sum to what they are alone.
        """
        if self._is_whole:
            return np.array([[[float(delay.samples)] for delay in self._delays]]), np.ones((1, 1), np.float32)
        left, right = (delay.readings(start, stop) for delay in self._delays)
        pairs = [(a, b, _product(p, q)) for a, p in left for b, q in right]
        delays, shares = np.empty((len(pairs), 2, stop - start)), np.empty((len(pairs), stop - start), np.float32)
        for reading, (of_left, of_right, share) in enumerate(pairs):
            delays[reading, 0], delays[reading, 1] = of_left, of_right
            shares[reading] = 1.0 if share is None else share
        if self._wow_depth.constant != 0:
            delays += self._wow(start, stop)
        return np.maximum(delays, _SHORTEST_S * self._rate, out=delays), shares

    def _wow(self, start: int, stop: int) -> Coefficients:
        phases = self._wow_hz.phases(np.arange(start, stop))
        wow: Coefficients = self._wow_depth.values(start, stop) * sine(phases) * (self._rate / 1000)
        return wow


def _product(left: Coefficients | None, right: Coefficients | None) -> Coefficients | None:
    if left is None or right is None:
        return right if left is None else left
    return left * right


def _side_offset(offset_ms: Curve, sample_rate: int) -> SideDelays | None:
    return None if offset_ms.constant == 0 else SideDelays(offset_ms.scaled(-1.0), offset_ms, sample_rate)
