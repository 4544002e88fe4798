"""Measures of sound: loudness, decay, and how wet each source is."""

from highhall.measure.decay import DecayReading, decay_by_band, reverberation_time
from highhall.measure.loudness import integrated_loudness
from highhall.measure.material import Material, Phrase, material_of, peak_overview
from highhall.measure.wetness import WetReading, distance_m, wetness_of

__all__ = [
    "DecayReading",
    "Material",
    "Phrase",
    "WetReading",
    "decay_by_band",
    "distance_m",
    "integrated_loudness",
    "material_of",
    "peak_overview",
    "reverberation_time",
    "wetness_of",
]
