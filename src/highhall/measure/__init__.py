"""Measures of sound: loudness, decay, and how wet each source is."""

from highhall.measure.decay import DecayReading, decay_by_band, reverberation_time
from highhall.measure.loudness import integrated_loudness
from highhall.measure.wetness import WetReading, distance_m, wetness_of

__all__ = [
    "DecayReading",
    "WetReading",
    "decay_by_band",
    "distance_m",
    "integrated_loudness",
    "reverberation_time",
    "wetness_of",
]
