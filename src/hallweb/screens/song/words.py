"""What a stem is like, in a few words: how it rings, and what to beware of."""

import math

from highhall.measure import StemAnalysis
from highhall.wording import figure

_DC = 0.003
_OUT_OF_PHASE = -0.3
_SAME_SIDES = 0.9995
_WET_S = 0.8


def decibels(magnitude: float) -> float | None:
    """Return a magnitude in dB re full scale; None for silence."""
    return 20 * math.log10(magnitude) if magnitude > 0 else None


def ring_words(analysis: StemAnalysis) -> str:
    """Return how a stem's sounds die away, with the estimate's uncertainty; empty if that cannot be told."""
    found = analysis.reverberance
    if found is None:
        return ""
    return f"rings {figure(found.decay_s)} ± {figure(max(found.uncertainty_s, 0.1))} s"


def warnings_of(analysis: StemAnalysis) -> list[str]:
    """Return what to beware of in a stem."""
    if analysis.peak == 0:
        return ["silent from end to end"]
    warnings = []
    if analysis.clipped_samples:
        warnings.append(f"{analysis.clipped_samples:,} samples clipped")
    elif analysis.true_peak > 1:
        warnings.append(f"peaks {figure(20 * math.log10(analysis.true_peak))} dB over full scale between samples")
    if analysis.dc > _DC:
        warnings.append(f"DC offset {figure(analysis.dc * 100)} %")
    correlation = analysis.correlation()
    if correlation is not None and correlation < _OUT_OF_PHASE:
        warnings.append(f"sides against each other, correlation {figure(correlation)}")
    if correlation is not None and correlation > _SAME_SIDES:
        warnings.append("stereo file, both sides the same")
    found = analysis.reverberance
    if found is not None and found.decay_s - found.uncertainty_s > _WET_S:
        warnings.append("already reverberant")
    return warnings
