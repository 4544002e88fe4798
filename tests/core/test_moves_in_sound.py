"""Moves measured in the rendered sound, not in the curve."""

import numpy as np
import pytest

from highhall.plan import Plan, plan_from_document
from highhall.render import Engine, Stems
from tests.core.plans import make_document
from tests.core.signals import RATE, db, pink_noise, power


def moving_plan(**parts) -> Plan:
    """One voice into one hall, at 120: section a is 0 to 4 s, b is 4 to 8 s of 12 s."""
    document = make_document(bars=6)
    document.update(groups=[], moves=[], sends=[{"from": "voice", "to": "hall", "level_db": -12.0}])
    document["tracks"] = [{"id": "voice", "stem": "voice.wav"}]
    document["returns"] = [{"id": "hall", "chain": [{"kind": "reverb", "params": {"space": "hall", "decay_s": 0.3}}]}]
    document.update(parts)
    return plan_from_document(document)


@pytest.fixture(scope="module")
def stems() -> Stems:
    return Stems({"voice.wav": pink_noise(12 * RATE, np.random.default_rng(5))})


def wet_levels(plan: Plan, stems: Stems, *seconds: tuple[float, float]) -> list[float]:
    """Level of the return against the stem, in dB, in some stretches."""
    engine = Engine(plan, stems, lanes={"hall"})
    wet = engine.advance(12 * RATE).returns["hall"]
    dry = stems.samples(plan.tracks[0])
    spans = [slice(int(a * RATE), int(b * RATE)) for a, b in seconds]
    return [db(power(wet[:, span]) / power(dry[:, span])) for span in spans]


STEADY = ((1.0, 3.9), (5.0, 7.9), (9.5, 12.0))


def test_a_send_at_minus_12_is_12_db_under_the_dry_sound(stems) -> None:
    assert wet_levels(moving_plan(), stems, (1.0, 12.0))[0] == pytest.approx(-12.0, abs=1.0)


def test_a_sends_level_changes_by_section(stems) -> None:
    move = {"target": {"send": ["voice", "hall"], "param": "level_db"}, "sections": [{"section": "b", "value": -3.0}]}
    still = wet_levels(moving_plan(), stems, *STEADY)
    moved = wet_levels(moving_plan(moves=[move]), stems, *STEADY)
    assert np.subtract(moved, still) == pytest.approx([0.0, 9.0, 0.0], abs=0.2)


def test_a_returns_level_and_mute_change_by_section(stems) -> None:
    level = {"target": {"return": "hall", "param": "level_db"}, "sections": [{"section": "a", "value": -6.0}]}
    mute = {"target": {"return": "hall", "param": "mute"}, "sections": [{"section": "b", "value": True}]}
    still = wet_levels(moving_plan(), stems, *STEADY)
    moving = moving_plan(moves=[level, mute])
    moved = wet_levels(moving, stems, STEADY[0], STEADY[2])
    assert np.subtract(moved, [still[0], still[2]]) == pytest.approx([-6.0, 0.0], abs=0.01)
    wet = Engine(moving, stems, lanes={"hall"}).advance(9 * RATE).returns["hall"]
    assert not wet[:, 4 * RATE : 8 * RATE - 240].any()


def test_width_0_makes_the_return_mono_and_pan_puts_it_to_one_side(stems) -> None:
    narrow = {"target": {"return": "hall", "param": "width"}, "sections": [{"section": "a", "value": 0.0}]}
    left = {"target": {"return": "hall", "param": "pan"}, "sections": [{"section": "b", "value": -1.0}]}
    wet = Engine(moving_plan(moves=[narrow, left]), stems, lanes={"hall"}).advance(12 * RATE).returns["hall"]
    inside_a, inside_b = wet[:, RATE : 3 * RATE], wet[:, 5 * RATE : 7 * RATE]
    np.testing.assert_allclose(inside_a[0], inside_a[1], atol=1e-7)
    assert np.abs(inside_b[1]).max() < 1e-6
    assert np.abs(inside_b[0]).max() > 1e-3


def test_a_throw_lets_one_moment_through(stems) -> None:
    closed = [{"from": "voice", "to": "hall", "level_db": None}]
    throw = {"at": "3|1", "length": "1/8", "value": 0.0}
    move = {"target": {"send": ["voice", "hall"], "param": "level_db"}, "throws": [throw]}
    wet = Engine(moving_plan(sends=closed, moves=[move]), stems, lanes={"hall"}).advance(12 * RATE).returns["hall"]
    start = 4 * RATE
    assert not wet[:, : start - 240].any()
    assert np.abs(wet[:, start : start + RATE // 2]).max() > 1e-2
    # The hall rings on for a while after the quarter of a second, then all is quiet again.
    assert np.abs(wet[:, start + 3 * RATE :]).max() < 1e-5


@pytest.mark.parametrize("value", [-40.0, 6.0, None])
def test_a_jump_of_a_level_makes_no_click(value: float | None) -> None:
    """The largest fourth difference near the boundary stays under that of the sound itself by itself."""
    time = np.arange(12 * RATE) / RATE
    tone = Stems({"voice.wav": (0.2 * np.sin(2 * np.pi * 110 * time))[None].astype(np.float32)})
    move = {"target": {"return": "hall", "param": "level_db"}, "sections": [{"section": "b", "value": value}]}
    wet = (
        Engine(moving_plan(moves=[move]), tone, lanes={"hall"}).advance(6 * RATE).returns["hall"][0].astype(np.float64)
    )
    fourth = np.abs(np.diff(wet, 4))
    boundary = fourth[4 * RATE - 1000 : 4 * RATE + 1000].max()
    surroundings = np.sqrt(np.mean(wet[3 * RATE : 4 * RATE] ** 2))
    assert 20 * np.log10(boundary / surroundings) < 10
