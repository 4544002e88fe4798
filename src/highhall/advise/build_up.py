"""Where many feeds add up in one return."""

import numpy as np
from numpy.typing import NDArray

from highhall.measure.third_octaves import CENTRES_HZ

LOW_MIDS = tuple(index for index, hz in enumerate(CENTRES_HZ) if 120 < hz < 640)
"""Third octaves from 125 to 630 Hz, where spaces turn thick first."""

_LEAST_POWER = 1e-10


def build_up_db(feeds: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return by how much all feeds together lie over the loudest of them, by band, in dB, (bands,).

    feeds: (feeds, bands), mean powers. Two equal feeds give 3 dB, four 6 dB; bands in which nothing sounds give 0.
    """
    if not len(feeds):
        return np.zeros(feeds.shape[1])
    loudest = feeds.max(axis=0)
    levels = np.zeros(feeds.shape[1])
    sounding = loudest > _LEAST_POWER
    levels[sounding] = 10 * np.log10(feeds.sum(axis=0)[sounding] / loudest[sounding])
    return levels
