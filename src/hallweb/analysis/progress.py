"""How far the analysis of a song's stems has come, and how long the rest may take."""

from collections.abc import Sequence
from dataclasses import dataclass

from hallweb.analysis.stems import analysed_at
from hallweb.songs.models import Stem

_TOGETHER_S = 300.0
"""Analyses further apart than this were not asked for together: they say nothing about the present pace."""


@dataclass(frozen=True, slots=True)
class AnalysisProgress:
    """`done` of `total` stems; `seconds_left` is None until two of them have shown the pace."""

    done: int
    total: int
    seconds_left: float | None


def progress_of(stems: Sequence[Stem], sample_rate: int) -> AnalysisProgress:
    """Return how far some stems have come; one that cannot be analysed counts as done."""
    ended = [analysed_at(stem, sample_rate) for stem in stems]
    done = sum(at is not None or bool(stem.problem) for at, stem in zip(ended, stems, strict=True))
    return AnalysisProgress(done, len(stems), _seconds_left([at for at in ended if at is not None], len(stems) - done))


def _seconds_left(ended: Sequence[float], waiting: int) -> float | None:
    """Return how long the waiting ones take at the pace of those that ended last, at times in seconds."""
    recent = sorted(at for at in ended if at > max(ended) - _TOGETHER_S)
    if len(recent) < 2 or not waiting:
        return None if waiting else 0.0
    return waiting * (recent[-1] - recent[0]) / (len(recent) - 1)
