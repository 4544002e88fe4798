"""The first estimate of a tempo, on stems that keep a known one."""

import numpy as np
import pytest

from highhall.measure import estimate_tempo
from highhall.measure.phrases import FRAME_S


def hits(bpm: float, *, seconds: float = 90, every: int = 1, jitter_s: float = 0.0, start_s: float = 0.0) -> np.ndarray:
    """Levels every 10 ms of hits on every so many beats, each falling 40 dB in 0.2 s."""
    levels = np.full(int(seconds / FRAME_S), -70.0)
    rng = np.random.default_rng(round(bpm * every))
    for at in np.arange(start_s, seconds - 1, every * 60 / bpm):
        first = round((at + rng.normal(0, jitter_s)) / FRAME_S)
        if first >= 0:
            levels[first : first + 20] = np.maximum(levels[first : first + 20], np.linspace(-20, -60, 20))
    return levels


@pytest.mark.parametrize("bpm", [67.0, 87.3, 104.0, 121.5, 144.0])
def test_the_beat_of_several_stems_is_found(bpm: float) -> None:
    stems = [(0.0, hits(bpm, jitter_s=0.008)), (0.0, hits(bpm, every=2)), (0.0, hits(2 * bpm, every=1, jitter_s=0.005))]
    found = estimate_tempo(stems)
    assert found is not None
    family = [found.bpm, *found.others]
    assert min(abs(pulse / bpm - 1) for pulse in family) < 0.002
    assert found.bpm / bpm == pytest.approx(round(found.bpm / bpm * 6) / 6, rel=0.002)
    assert 0.2 < found.certainty <= 1


@pytest.mark.parametrize("bpm", [80.0, 87.3, 93.0, 104.0, 120.0, 140.0])
def test_of_a_beat_and_its_eighths_the_beat_is_told_first(bpm: float) -> None:
    kick, snare, hats = hits(bpm, every=2), hits(bpm, every=2, start_s=60 / bpm), hits(2 * bpm, jitter_s=0.004)
    found = estimate_tempo([(0.0, kick), (0.0, snare), (0.0, hats), (0.0, hats)])
    assert found is not None
    assert found.bpm == pytest.approx(bpm, rel=0.002)


def test_a_stem_that_starts_late_keeps_time_with_the_others() -> None:
    late = 60 / 104 * 16
    together = estimate_tempo([(0.0, hits(104)), (late, hits(104))])
    assert together is not None
    assert min(abs(pulse / 104 - 1) for pulse in (together.bpm, *together.others)) < 0.002


def test_hits_at_random_are_uncertain_and_few_hits_say_nothing() -> None:
    rng = np.random.default_rng(0)
    levels = np.full(9000, -70.0)
    for first in rng.integers(0, 8900, 150):
        levels[first : first + 20] = -20.0
    found = estimate_tempo([(0.0, levels)])
    assert found is not None
    assert found.certainty < 0.3
    assert estimate_tempo([(0.0, hits(60, seconds=6))]) is None
    assert estimate_tempo([]) is None
