"""Where words and hits begin inside a phrase, from the rise of energy band by band.

References
----------
S. Dixon, "Onset detection revisited", DAFx-06 (spectral flux); the magnitudes are compressed by a logarithm as in
A. Klapuri, "Sound onset detection by applying psychoacoustic knowledge", ICASSP 1999.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.measure.phrases import Phrase

_HOP_S = 0.01
_WINDOW_S = 0.03
_LOOKED_AT_S = 4.0
_APART_S = 0.12
_BEFORE_S = 0.3
_SHORTEST_WORD_S = 0.08
_LOW_HZ, _HIGH_HZ, _BANDS = 80.0, 8000.0, 36
_RANGE_DB = 50.0
_SHARE_OF_STRONGEST = 0.25
_BACK_FRAMES = 2


def onsets_s(samples: NDArray[np.floating], sample_rate: int) -> NDArray[np.float64]:
    """Return when notes, words and hits begin in a stretch of sound, (channels, frames), in seconds from its start.

    What already sounds when the stretch begins is none.
    """
    hop, window = round(_HOP_S * sample_rate), round(_WINDOW_S * sample_rate)
    mono = samples.mean(axis=0)
    if len(mono) < 4 * window:
        return np.zeros(0)
    flux = _flux(_bands_db(mono, sample_rate, hop, window))
    if not flux.max() > 0:
        return np.zeros(0)
    peaks, _ = scipy_signal.find_peaks(
        flux, height=_SHARE_OF_STRONGEST * flux.max(), distance=round(_APART_S / _HOP_S), prominence=0.15 * flux.max()
    )
    times: NDArray[np.float64] = (peaks * hop + window / 2) / sample_rate
    return times


def _bands_db(mono: NDArray[np.floating], sample_rate: int, hop: int, window: int) -> NDArray[np.float64]:
    """Return levels in dB over a floor, (bands, frames)."""
    hz, _, spectrum = scipy_signal.stft(
        mono, sample_rate, nperseg=window, noverlap=window - hop, nfft=4096, boundary=None, padded=False
    )
    edges = np.geomspace(_LOW_HZ, _HIGH_HZ, _BANDS + 1)
    places = np.searchsorted(hz, edges)
    power = np.add.reduceat(np.abs(spectrum) ** 2, places[:-1], axis=0)
    levels = 10 * np.log10(power + 1e-20)
    over: NDArray[np.float64] = np.maximum(levels - (levels.max() - _RANGE_DB), 0)
    return over


def _flux(bands: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how much the bands rise from two frames before to two after, (frames,)."""
    rise = np.zeros(bands.shape[1])
    step = _BACK_FRAMES
    rise[step:-step] = np.maximum(bands[:, 2 * step :] - bands[:, : -2 * step], 0).sum(axis=0)
    return rise


def last_word_start_s(samples: NDArray[np.floating], sample_rate: int, phrase: Phrase) -> float:
    """Return when the last word or hit of a phrase begins, in seconds from the stem's start.

    samples: the stem, (1 or 2, frames). It is the last onset in the phrase's last four seconds that leaves time for a
    word; without one it is where these begin.
    """
    start_s = max(phrase.start_s, phrase.end_s - _LOOKED_AT_S)
    before_s = max(start_s - _BEFORE_S, 0.0)  # so that the phrase's own beginning is seen to rise
    first, last = round(before_s * sample_rate), round(phrase.end_s * sample_rate)
    found = before_s + onsets_s(samples[:, first:last], sample_rate)
    words = found[(found >= start_s - _APART_S) & (found <= phrase.end_s - _SHORTEST_WORD_S)]
    return float(words[-1]) if words.size else start_s
