"""Transposition by two heads that read ever later, or earlier, and take turns.

Half a sweep lies between them; their shares sum to 1, and each is silent when it jumps back.

References
----------
F. F. Lee, "Time compression and expansion of speech by the sampling method", J. Audio Eng. Soc. 20(9), 1972.
"""

import numpy as np

from highhall.effects.signals import Coefficients


def two_heads(turns: Coefficients, sweep: float) -> tuple[Coefficients, Coefficients]:
    """Return the heads' delays about their middle and their shares, (2, frames), for sweeps passed, (frames,)."""
    parts = (turns + np.array([[0.0], [0.5]])) % 1.0
    return sweep * (parts - 0.5), np.sin(np.pi * parts) ** 2
