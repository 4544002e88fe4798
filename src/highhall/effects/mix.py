"""The share of processed sound that several effects have."""

import numpy as np

from highhall.curves import Curve
from highhall.effects.signals import Signal


def mixed(block: Signal, processed: Signal, mix: Curve, start_sample: int) -> Signal:
    """Return what comes in and what was made of it, (2, frames), at a share from 0 to 1."""
    if mix.constant == 1.0:
        return processed
    stop = start_sample + block.shape[1]
    share = mix.values(start_sample, stop).astype(np.float32) if mix.constant is None else np.float32(mix.constant)
    out: Signal = processed - block
    out *= share
    out += block
    return out
