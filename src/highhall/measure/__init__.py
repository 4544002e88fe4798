"""Measures of sound: loudness, decay, and how wet each source is."""

from highhall.effects.decay_time import reverberation_time
from highhall.measure.decay import DecayReading, decay_by_band
from highhall.measure.loudness import integrated_loudness
from highhall.measure.phrases import Phrase, with_ends
from highhall.measure.reverberance import Reverberance
from highhall.measure.stem_analysis import StemAnalysis, analysis_of
from highhall.measure.tempo_estimate import TempoEstimate, estimate_tempo

__all__ = [
    "DecayReading",
    "Phrase",
    "Reverberance",
    "StemAnalysis",
    "TempoEstimate",
    "analysis_of",
    "decay_by_band",
    "estimate_tempo",
    "integrated_loudness",
    "reverberation_time",
    "with_ends",
]
