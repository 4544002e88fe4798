"""How reverberant a recording already is, from its free decays.

Where a sound stops and nothing follows at once, what is left is the room. On the power of the band from
500 Hz to 2 kHz, every fall of at least 25 dB that ends well above the noise floor is looked for, and a line
is fitted to its last 22 to 30 dB: by then the sound's own end is over, and only the decay is left. The
estimate is the median of all such decays. An instrument's own ringing counts too: a drum that rings for a
second cannot be told from a room in which everything does.

References
----------
R. Ratnam et al., "Blind estimation of reverberation time", J. Acoust. Soc. Am. 114, 2877-2892 (2003):
decay times from free decays in running sound.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

FRAME_S = 0.005
BAND_HZ = (500.0, 2000.0)
_SMOOTHED_FRAMES = 13
_LEAST_FALL_DB = 25.0
_OVER_FLOOR_DB = 10.0
_RISE_DB = 2.0
_FITTED_DB = (30.0, 22.0)
_LEAST_FRAMES = 12
_WORST_FIT_DB = 1.2
_LEAST_DECAYS = 3
_ONE_DECAY_SHARE = 0.12  # what one decay's fit is off by, as a share of it

Power = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reverberance:
    """Time to -60 dB in seconds, give or take `uncertainty_s` (two standard errors), from so many decays."""

    decay_s: float
    uncertainty_s: float
    decays: int


def band_filter(sample_rate: int) -> NDArray[np.float64]:
    """Return the sections of the band-pass before `estimate_reverberance`."""
    sections: NDArray[np.float64] = scipy_signal.butter(4, BAND_HZ, "bandpass", fs=sample_rate, output="sos")
    return sections


def estimate_reverberance(power: Power) -> Reverberance | None:
    """Return the decay of a recording from its power in the band, one value every 5 ms.

    None if fewer than three free decays are found: it is dry, or it never stops.
    """
    decays = np.array(list(_free_decays(power)))
    if len(decays) < _LEAST_DECAYS:
        return None
    middle = float(np.median(decays))
    spread = 1.4826 * float(np.median(np.abs(decays - middle)))
    error = max(spread, _ONE_DECAY_SHARE * middle) / len(decays) ** 0.5
    return Reverberance(decay_s=middle, uncertainty_s=2 * error, decays=len(decays))


def _free_decays(power: Power) -> Iterator[float]:
    heard = power[power > 1e-12]
    if not heard.size:
        return
    floor = float(np.percentile(heard, 5))
    weights = np.hanning(_SMOOTHED_FRAMES + 2)[1:-1]
    smooth = np.convolve(power, weights / weights.sum(), "same")
    levels = 10 * np.log10(np.maximum(smooth - floor, 1e-13))
    lowest = 10 * np.log10(max(floor, 1e-13)) + _OVER_FLOOR_DB
    start = 0
    while start < len(levels) - 1:
        if levels[start] <= levels[start + 1]:
            start += 1
            continue
        end = _end_of_fall(levels, start, lowest)
        if levels[start] - levels[end] >= _LEAST_FALL_DB:
            slope = _last_slope(levels[start : end + 1])
            if slope is not None:
                yield -60 / slope
        start = max(end, start + 1)


def _end_of_fall(levels: Power, start: int, lowest: float) -> int:
    """Return where a fall reaches its lowest point before it rises again or comes near the noise floor."""
    end = start
    for place in range(start + 1, len(levels)):
        if levels[place] >= levels[end] + _RISE_DB or levels[place] <= lowest:
            break
        if levels[place] < levels[end]:
            end = place
    return end


def _last_slope(fall: Power) -> float | None:
    """Return the slope in dB a second of a fall's last part, the longest that is straight; None if none is."""
    for fitted in _FITTED_DB:
        above = np.flatnonzero(fall > fall[-1] + fitted)
        last = fall[above[-1] + 1 if above.size else 0 :]
        if fall[0] - fall[-1] < fitted + 3 or len(last) < _LEAST_FRAMES:
            continue
        seconds = np.arange(len(last)) * FRAME_S
        slope, level = np.polyfit(seconds, last, 1)
        if slope < 0 and np.sqrt(np.mean((slope * seconds + level - last) ** 2)) < _WORST_FIT_DB:
            return float(slope)
    return None
