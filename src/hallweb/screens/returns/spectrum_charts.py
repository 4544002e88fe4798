"""What was measured of a return, drawn behind its filters: spectrum, low mids that add up, and the answer to a hit."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from hallweb.audition.spectra import LaneReading
from hallweb.screens.returns.time_axis import HIT_X, WIDTH, TimeAxis
from hallweb.screens.returns.time_scale import FLOOR_Y, PX_PER_DB, TOP_Y
from hallweb.screens.returns.tone_pictures import LARGE, tone_x, tone_y
from highhall.advise import LOW_MIDS
from highhall.measure.pictures import ENVELOPE_S, Picture
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.wording import figure, hertz_in_words

HEAD_DB = 6.0
"""The loudest third octave is drawn so far under 0 dB."""

BUILD_UP_DB = 3.0
_SILENT_POWER = 1e-11
_EDGE = 10**0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class SpectrumPicture:
    """A measured spectrum on the scale of the filters' curve; `top_db` is the level in dBFS of what is drawn at 0 dB."""

    points: str
    words: str
    top_db: float
    build_up: list[tuple[float, float]]
    build_up_words: str
    is_clipped: bool


def spectrum_picture(
    reading: LaneReading, build_up: NDArray[np.float64], feeds: int, where: str
) -> SpectrumPicture | None:
    """Return the picture of what was measured in a stretch called `where`; None for silence."""
    loudest = int(np.argmax(reading.bands))
    if reading.bands[loudest] < _SILENT_POWER:
        return None
    levels = 10 * np.log10(np.maximum(reading.bands, _SILENT_POWER))
    top_db = float(levels[loudest]) + HEAD_DB
    width, height = LARGE
    points = [(tone_x(hz, width), tone_y(level - top_db, height)) for hz, level in zip(CENTRES_HZ, levels, strict=True)]
    inside = [(x, y) for x, y in points if -8 <= x <= width + 8]
    line = " ".join(f"{x:.1f},{y:.1f}" for x, y in inside)
    peak_db = 20 * np.log10(max(reading.peak, 1e-6))
    thick = [i for i in LOW_MIDS if build_up[i] >= BUILD_UP_DB]
    worst = max(thick, key=lambda i: build_up[i], default=None)
    return SpectrumPicture(
        points=f"{inside[0][0]:.1f},{height} {line} {inside[-1][0]:.1f},{height}",
        words=f"measured in {where}: loudest {hertz_in_words(_nominal(CENTRES_HZ[loudest]))} {figure(levels[loudest])} dBFS, peak {figure(peak_db)} dBFS{', clips' if reading.peak >= 1 else ''}",
        top_db=top_db,
        build_up=[(tone_x(CENTRES_HZ[i] / _EDGE, width), tone_x(CENTRES_HZ[i] * _EDGE, width) - tone_x(CENTRES_HZ[i] / _EDGE, width)) for i in thick],
        build_up_words="" if worst is None else f"{feeds} feeds add {figure(build_up[worst])} dB at {hertz_in_words(_nominal(CENTRES_HZ[worst]))}",
        is_clipped=bool(reading.peak >= 1),
    )  # fmt: skip


def _nominal(hz: float) -> float:
    """Return about what a third octave is called: its exact middle to two digits."""
    return float(f"{hz:.2g}")


def hit_points(picture: Picture, axis: TimeAxis) -> str:
    """Return the outline of a return's answer to a hit, as rendered: the larger side, its largest value at 0 dB."""
    envelope = picture.envelope.max(axis=0).astype(np.float64)
    columns = int(WIDTH)
    edges = np.linspace(0, WIDTH / axis.px_per_s / ENVELOPE_S, columns + 1)
    tops = []
    for first, last in pairwise(edges):
        stretch = envelope[int(first) : max(int(np.ceil(last)), int(first) + 1)]
        tops.append(float(stretch.max(initial=0.0)))
    reference = max(envelope.max(initial=0.0), 1e-9)
    levels = 20 * np.log10(np.maximum(np.array(tops) / reference, 1e-4))
    heights = np.clip(TOP_Y - levels * PX_PER_DB, TOP_Y, FLOOR_Y)
    line = " ".join(f"{HIT_X + column:.0f},{y:.1f}" for column, y in enumerate(heights))
    return f"{HIT_X:.0f},{FLOOR_Y:.0f} {line} {HIT_X + columns - 1:.0f},{FLOOR_Y:.0f}"
