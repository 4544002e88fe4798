"""The one convention for audio in the core.

Audio is float32, planar `(channels, frames)`, C-contiguous, full scale +-1; a return's signal always
has two channels. Coefficients, filter state, phases and positions are float64. Arguments are never
written to.
"""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Signal: TypeAlias = NDArray[np.float32]
Coefficients: TypeAlias = NDArray[np.float64]
WholeNumbers: TypeAlias = NDArray[np.int64]


def silence(frames: int) -> Signal:
    """Return a silent stereo signal, (2, frames)."""
    return np.zeros((2, frames), np.float32)
