"""The duck effect: lowered while a key sounds, and back when it stops.

The key's level is the larger side's peak over the last 10 ms. While it is over the threshold the gain goes down
on a line in dB, by the whole depth in `attack_ms`; once it has been under it for `hold_ms` it comes back by the
whole depth in `release_ms`.
"""

import numpy as np
from numba import njit

from highhall.curves import EffectCurves
from highhall.effects.signals import Coefficients, Signal

_PEAK_S = 0.01


@njit(
    "void(float32[:,::1], float64[::1], float64[::1], float64[::1], float64, float64, int64, float64[::1])",
    nogil=True, cache=True,
)  # fmt: skip
def _follow(
    key: Signal, threshold: Coefficients, depth_db: Coefficients, gain: Coefficients,
    attack: float, release: float, hold: int, state: Coefficients,
) -> None:  # fmt: skip
    """Write the gain, (frames,), for a key (2, frames).

    attack, release: share of the depth a sample. hold: samples from the last one over the threshold.
    state (2,): the share of the depth that is down, and samples since the key was over the threshold.
    """
    down, since = state[0], state[1]
    for n in range(key.shape[1]):
        if max(abs(key[0, n]), abs(key[1, n])) > threshold[n]:
            since = 0
        else:
            since += 1
        down = min(down + attack, 1.0) if since <= hold else max(down - release, 0.0)
        gain[n] = 10 ** (-down * depth_db[n] / 20)
    state[0], state[1] = down, since


class Duck:
    """A duck effect. See `highhall.effects.processor.Processor`; the key's sound has to be given before each block."""

    falling_s = longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._threshold, self._depth = effect.curve("threshold_db"), effect.curve("depth_db")
        attack_ms, hold_ms, release_ms = (effect.effect.number(f"{name}_ms") for name in ("attack", "hold", "release"))
        rate = effect.sample_rate
        self._attack, self._release = 1000 / (attack_ms * rate), 1000 / (release_ms * rate)
        self._hold = round((hold_ms / 1000 + _PEAK_S) * rate)
        self._state = np.array([0.0, self._hold + 1.0])
        self._heard: Signal | None = None
        self.memory_s = (attack_ms + hold_ms + release_ms) / 1000 + _PEAK_S

    def hear(self, key: Signal) -> None:
        """Take the key's sound, (2, frames), of the block that comes next."""
        self._heard = key

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the block, (2, frames), lowered."""
        frames = block.shape[1]
        key = np.zeros_like(block) if self._heard is None else np.ascontiguousarray(self._heard)
        stop = start_sample + frames
        gain = np.empty(frames)
        _follow(
            key, self._threshold.values(start_sample, stop), self._depth.values(start_sample, stop), gain,
            self._attack, self._release, self._hold, self._state,
        )  # fmt: skip
        self._heard = None
        out: Signal = block * gain.astype(np.float32)
        return out
