"""What findings propose, in songs with several faults at random: it is what is taken, and the finding is gone."""

import copy

import numpy as np
import pytest
from hypothesis import example, given, reject, settings
from hypothesis import strategies as st

from highhall.findings import KINDS, look, take
from highhall.plan import PlanRefusedError
from tests.core.planted import PLANTS, Base, base, heard

pytestmark = pytest.mark.slow

PREDICTED = sorted(kind for kind in PLANTS if not KINDS[kind].is_rendered and kind != "source-already-wet")


@example(kinds={"unfed-return", "bass-in-space", "never-heard"}, strength=1.0, seed=2)
@example(kinds={"group-in-two-rooms", "decay-too-long"}, strength=1.0, seed=0)
@settings(max_examples=10, deadline=None)
@given(
    kinds=st.sets(st.sampled_from(PREDICTED), min_size=2, max_size=3),
    strength=st.floats(0.2, 1),
    seed=st.integers(0, 9),
)
def test_every_proposal_makes_its_finding_go_away_and_none_of_its_kind_worse(kinds, strength, seed) -> None:
    song = base(np.random.default_rng(seed))
    song = Base(copy.deepcopy(song.document), song.sounds, song.responses)
    for kind in sorted(kinds):
        song = PLANTS[kind](song, strength, np.random.default_rng(seed))
    try:
        there = heard(song.document, song.stems)
    except PlanRefusedError:  # one fault has taken away what another is planted in
        reject()
    found = look(there)
    assert {finding.kind for finding in found} & kinds
    before = {finding.id: finding for finding in found}
    for finding in [each for each in found if each.proposal][:4]:
        after = {each.id: each for each in look(there.edited(take(there, finding.id).plan), only=[finding.kind])}
        assert finding.id not in after
        for key, other in after.items():
            assert key in before
            assert other.severity <= before[key].severity
