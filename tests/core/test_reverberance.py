"""How reverberant a stem is, on stems made wet with known decays."""

import numpy as np
import pytest

from highhall.curves import EffectCurves
from highhall.demo.plan import demo_song
from highhall.demo.stems import stem_samples
from highhall.effects import Chain
from highhall.measure import analysis_of
from highhall.plan.edits import effect_of_kind
from tests.core.signals import RATE, make_song

pytestmark = pytest.mark.slow


def in_a_space(dry: np.ndarray, space: str, decay_s: float, wet_db: float = -6.0) -> np.ndarray:
    """A mono stem, (frames,), as if it had been recorded in a space: (2, frames)."""
    effect = effect_of_kind("reverb", "s", {"space": space, "decay_s": decay_s, "pre_delay": "10ms"})
    chain = Chain([EffectCurves(effect, make_song(bars=400))])
    sides = np.repeat(dry[None] * np.sqrt(0.5), 2, axis=0).astype(np.float32)
    return sides + 10 ** (wet_db / 20) * chain.process(sides, 0)


def bursts(seconds: int) -> np.ndarray:
    """Noise of 0.3 s every 4.1 s."""
    signal = np.zeros(seconds * RATE)
    rng = np.random.default_rng(0)
    for start in np.arange(0.5, seconds - 4, 4.1):
        first = int(start * RATE)
        signal[first : first + RATE * 3 // 10] = 0.1 * rng.standard_normal(RATE * 3 // 10)
    return signal.astype(np.float32)


@pytest.mark.parametrize(
    ("space", "decay_s"), [("plate", 0.5), ("plate", 1.0), ("hall", 1.5), ("hall", 2.4), ("hall", 3.5)]
)
def test_bursts_in_a_space_tell_its_decay_within_20_per_cent(space: str, decay_s: float) -> None:
    found = analysis_of(in_a_space(bursts(40), space, decay_s), RATE).reverberance
    assert found is not None
    assert found.decay_s == pytest.approx(decay_s, rel=0.2)
    assert 0 < found.uncertainty_s < 0.2 * decay_s
    assert found.decays >= 6


@pytest.mark.parametrize(
    ("name", "decay_s"), [("lead-voice", 1.0), ("fiddle", 0.4), ("fiddle", 0.8), ("stones", 0.5), ("stones", 1.0)]
)
def test_played_stems_in_a_space_tell_its_decay_within_20_per_cent(name: str, decay_s: float) -> None:
    dry = stem_samples(name, demo_song().time)
    found = analysis_of(in_a_space(dry, "plate", decay_s), RATE).reverberance
    assert found is not None
    assert found.decay_s == pytest.approx(decay_s, rel=0.2)


def test_a_dry_stem_has_no_decay_to_speak_of_and_an_endless_one_none() -> None:
    assert analysis_of(bursts(20)[None], RATE).reverberance is None
    drone = np.random.default_rng(1).standard_normal((1, 10 * RATE)).astype(np.float32)
    assert analysis_of(0.1 * drone, RATE).reverberance is None


def test_a_noise_floor_does_not_lengthen_the_decay() -> None:
    wet = in_a_space(bursts(40), "hall", 1.5)
    noise = 10 ** (-75 / 20) * np.random.default_rng(2).standard_normal(wet.shape)
    found = analysis_of((wet + noise).astype(np.float32), RATE).reverberance
    assert found is not None
    assert found.decay_s == pytest.approx(1.5, rel=0.2)
