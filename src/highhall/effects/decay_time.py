"""Decay time of an energy response by backward integration.

References
----------
M. R. Schroeder, "New method of measuring reverberation time", J. Acoust. Soc. Am. 37, 409-412 (1965).
ISO 3382-1:2009: T30 from the line fitted between -5 and -35 dB.
"""

import numpy as np
from numpy.typing import NDArray

from highhall.errors import CoreError


def reverberation_time(energy: NDArray[np.float64], sample_rate: float) -> float:
    """Return T30 of an energy response, (frames,), in seconds.

    Does not correct for a noise floor: give a response that reaches at least 45 dB down.

    Raises
    ------
    CoreError
        If the integrated decay does not pass -35 dB.
    """
    remaining = np.cumsum(energy[::-1])[::-1]
    if not len(energy) or remaining[0] <= 0:
        raise CoreError("a silent response has no decay")
    level_db = 10 * np.log10(np.maximum(remaining / remaining[0], 1e-30))
    first, last = int(np.searchsorted(-level_db, 5)), int(np.searchsorted(-level_db, 35))
    if last >= len(level_db) or last - first < 2:
        raise CoreError("the response is too short to fall from -5 to -35 dB")
    slope, _ = np.polyfit(np.arange(first, last) / sample_rate, level_db[first:last], 1)
    return float(-60 / slope)
