"""Moves as curves: what a value is at every sample of a song."""

from highhall.curves.curve import CELL, Curve, Run, gain_of_db, raised_cosine, runs
from highhall.curves.drawing import curve_of, drawn_curve
from highhall.curves.effect import EffectCurves
from highhall.curves.switching import FADE_S, Switched

__all__ = [
    "CELL",
    "FADE_S",
    "Curve",
    "EffectCurves",
    "Run",
    "Switched",
    "curve_of",
    "drawn_curve",
    "gain_of_db",
    "raised_cosine",
    "runs",
]
