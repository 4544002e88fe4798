"""Starting points are valid, sound, and stay what their words say."""

from dataclasses import replace

import numpy as np
import pytest

from highhall.curves import EffectCurves
from highhall.effects import Chain, processor_of
from highhall.plan import Plan, document_of, plan_from_document
from highhall.plan.kinds import KINDS
from highhall.plan.starting_points import STARTING_POINTS, STARTING_SETS, sets_for
from tests.core.signals import RATE, db, make_song, pink_noise, power

NOISE = pink_noise(3 * RATE, np.random.default_rng(0))


@pytest.mark.parametrize("point", STARTING_POINTS, ids=lambda point: point.id)
def test_every_starting_point_sounds_at_about_the_level_it_gets(point) -> None:
    heard = processor_of(EffectCurves(point.effect, make_song(bpm=90))).process(NOISE, 0)
    # a tail may still be building up, a leveler takes away, drive lifts by up to 9 dB, a cut leaves little
    assert -14 < db(power(heard[:, RATE:]) / power(NOISE[:, RATE:])) < 6


def test_every_kind_that_needs_nothing_of_the_song_has_one_and_none_stands_twice() -> None:
    assert {point.kind for point in STARTING_POINTS} == set(KINDS) - {"impulse", "duck"}
    assert len({point.id for point in STARTING_POINTS}) == len(STARTING_POINTS)
    assert all(point.when.endswith(".") and 15 < len(point.when) < 120 for point in STARTING_POINTS)


@pytest.mark.parametrize("each", STARTING_SETS, ids=lambda each: each.id)
@pytest.mark.parametrize("end", ["slowest_bpm", "fastest_bpm"])
def test_a_set_makes_a_valid_plan_and_wet_returns_at_its_tempos(each, end: str) -> None:
    song = make_song(bpm=getattr(each, end))
    plan = Plan(song=song, returns=each.made())
    assert plan_from_document(document_of(plan)) == plan
    for return_ in plan.returns:
        heard = Chain.of(plan, return_).process(NOISE, 0)
        assert power(heard) > 0.01 * power(NOISE)
        assert return_.is_wet


def test_sets_for_a_tempo_come_first() -> None:
    slow = [each.id for each in sets_for(50)]
    assert slow.index("slow-and-wide") < slow.index("bright-and-fast")
    assert len(slow) == len(STARTING_SETS)
    assert replace(STARTING_SETS[0], name="x").suits(100)
