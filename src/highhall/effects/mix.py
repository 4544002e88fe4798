"""The share of processed sound that several effects have."""

import numpy as np

from highhall.curves import Curve
from highhall.effects.signals import Signal


def mixed(block: Signal, processed: Signal, mix: Curve, start_sample: int) -> Signal:
    """Return what comes in and what was made of it, (2, frames), at a share from 0 to 1."""
    if mix.constant == 1.0:
        return processed
    share = mix.values(start_sample, start_sample + block.shape[1]).astype(np.float32)
    out: Signal = block + share * (processed - block)
    return out
