"""Early reflections of a shoebox room by image sources.

References
----------
J. B. Allen and D. A. Berkley, "Image method for efficiently simulating small-room acoustics",
J. Acoust. Soc. Am. 65(4), 1979.
"""

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from highhall.effects.reverb.spaces import Box, Space

SPEED_OF_SOUND_M_S = 343.0
_ACROSS = 0.6  # a side's reflection is heard on the other side at this level


def early_reflections(space: Space, size: float, sample_rate: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Return delays in samples after the direct sound and gains of the early part.

    Returns
    -------
    delays, gains: (4, reflections) for left to left, left to right, right to left, right to right. The overall
    level is free; `Design` sets it. Gains alternate in sign so that low frequencies do not add up.
    """
    if space.box is None:
        straight = np.array(space.onset_ms) * size
        across = straight * 1.13 + 1.7 * size
        fall = 10 ** (-straight / (40 * size))
        paths_ms = [straight, across, across * 1.07, straight * 1.09 + 0.2 * (straight > 0)]
        gains = [fall, _ACROSS * fall, _ACROSS * fall, fall]
    else:
        paths_ms, gains = _box_paths(space.box, size)
    delays = np.round(np.stack(paths_ms) * sample_rate / 1000).astype(np.int64)
    signs = np.array([(-1.0) ** ((index * 5) // 3) for index in range(delays.shape[1])])
    across_signs = np.roll(signs, 1)
    signed = np.stack(gains) * np.stack([signs, across_signs, -across_signs, signs])
    unused = ((0, 0), (0, -delays.shape[1] % 4))  # the kernel adds four reflections at a time
    return np.pad(delays, unused), np.pad(signed, unused)


def _box_paths(box: Box, size: float) -> tuple[list[NDArray[np.float64]], list[NDArray[np.float64]]]:
    delays_ms, gains = [], []
    for source_side, ear_side in itertools.product((-1, 1), repeat=2):
        source = np.array(box.source) * size
        source[0] += source_side * 1.4 * size
        ear = np.array(box.listener) * size
        ear[0] += ear_side * box.ear_distance / 2
        room = np.array(box.size) * size
        direct = float(np.linalg.norm(source - ear))
        paths = sorted(_images(source, ear, room, direct, box.reflection))[: box.reflections]
        level = 1.0 if source_side == ear_side else _ACROSS
        delays_ms.append(np.array([delay for delay, _ in paths]))
        gains.append(level * np.array([gain for _, gain in paths]))
    return delays_ms, gains


def _images(
    source: NDArray[np.float64], ear: NDArray[np.float64], room: NDArray[np.float64], direct: float, reflection: float
) -> list[tuple[float, float]]:
    """Return (ms after the direct sound, gain against it) of images up to three reflections."""
    found = []
    for cell in itertools.product((-2, -1, 0, 1, 2), repeat=3):
        order = sum(map(abs, cell))
        if not 1 <= order <= 3:
            continue
        image = [
            2 * math.ceil(n / 2) * w + (s if n % 2 == 0 else -s) for n, w, s in zip(cell, room, source, strict=True)
        ]
        distance = float(np.linalg.norm(np.array(image) - ear))
        found.append(((distance - direct) / SPEED_OF_SOUND_M_S * 1000, direct / distance * reflection**order))
    return found
