"""Laws of the depth model and of placing, through plans chosen at random."""

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from highhall.depth import DepthModel
from highhall.depth.placing import EXACT_DB, place
from highhall.plan import Plan
from highhall.plan.edits import remove_send, set_return, set_send, set_tracks
from tests.core.depth_songs import model_of, noise, plucked, reverb, song

pytestmark = pytest.mark.slow

RETURNS = [
    {"id": "room", "chain": [reverb("room", 0.5)]},
    {"id": "hall", "chain": [reverb("hall", 2.0)]},
    {"id": "slap", "chain": [{"kind": "echo", "params": {"left": "1/8", "right": "1/8", "feedback": 0.2}}]},
]
PLAN = song(returns=RETURNS, sends=[{"from": s, "to": "room"} for s in ("voice", "harp")])
levels = st.floats(-30.0, 0.0).map(lambda db: round(db, 2))
distances = st.floats(0.7, 20.0).map(lambda m: round(m, 2))


@pytest.fixture(scope="module")
def model() -> DepthModel:
    return model_of(PLAN, plucked(), noise(channels=2, seed=2))


@st.composite
def plans(draw: st.DrawFn) -> Plan:
    """The two sources with any sends into the three returns, returns into returns, at any levels and pans."""
    plan = PLAN
    for source in ("voice", "harp"):
        into = draw(st.sets(st.sampled_from(["room", "hall", "slap"]), min_size=1))
        for target in into:
            point = draw(st.sampled_from(["pre", "post"]))
            plan = set_send(
                plan, source, target, level_db=draw(levels), send_point=point, pan=draw(st.sampled_from([-0.5, 0.0]))
            )
        plan = plan if "room" in into else remove_send(plan, source, "room")
    if draw(st.booleans()):
        plan = set_send(plan, "slap", "hall", level_db=draw(levels))
    plan = set_return(plan, "hall", level_db=draw(levels), width=draw(st.sampled_from([0.5, 1.0, 1.5])))
    return set_tracks(plan, ["voice"], level_db=draw(levels))


def wet_db(model: DepthModel, source: str, section: str | None) -> float:
    found = model.readings[source, section].wet_db
    assert found is not None
    return found


@settings(max_examples=25, deadline=None)
@given(plan=plans(), metres=distances, section=st.sampled_from([None, "a", "b"]))
def test_a_solved_distance_is_exact_or_the_nearest_in_reach_and_a_second_time_changes_nothing(
    model, plan, metres, section
) -> None:
    found = place(model.edited(plan), {("voice", section): metres})
    (placed,) = found.placed
    after = model.edited(found.plan)
    there = after.distance_m("voice", section)
    assert there == pytest.approx(placed.distance_m, rel=0.002)
    if placed.reason:
        assert there == pytest.approx(placed.nearest_m if there > metres else placed.farthest_m, rel=0.002)
    else:
        assert abs(wet_db(after, "voice", section) - plan.space.wet_db_at(metres)) <= EXACT_DB
        assert place(after, {("voice", section): metres}).plan == found.plan


@settings(max_examples=15, deadline=None)
@given(plan=plans(), voice=distances, harp=distances)
def test_the_order_of_sources_does_not_matter(model, plan, voice, harp) -> None:
    wishes = {("voice", None): voice, ("harp", None): harp}
    turned = dict(reversed(wishes.items()))
    assert place(model.edited(plan), wishes).plan == place(model.edited(plan), turned).plan


@settings(max_examples=15, deadline=None)
@given(plan=plans(), near=distances, by=st.floats(1.05, 4.0))
def test_farther_away_never_needs_less_wet(model, plan, near, by) -> None:
    found = [place(model.edited(plan), {("voice", None): metres}) for metres in (near, min(near * by, 60.0))]
    at = [each.plan for each in found]
    assume(not found[1].placed[0].reason or {s.target for s in at[0].sends} == {s.target for s in at[1].sends})
    nearer, farther = (wet_db(model.edited(each), "voice", None) for each in at)
    assert farther >= nearer - EXACT_DB
    for send in at[0].sends:
        other = at[1].send(send.source, send.target)
        if send.source == "voice" and other is not None and None not in (send.level_db, other.level_db):
            assert other.level_db >= send.level_db - 0.01


@settings(max_examples=15, deadline=None)
@given(plan=plans(), by=st.floats(-12.0, 6.0))
def test_post_fader_depth_stays_when_a_fader_moves_and_a_louder_send_is_as_many_db_wetter(model, plan, by) -> None:
    sends = [send for send in plan.sends if send.source == "harp"]
    assume(all(send.level_db is not None and send.level_db + by <= 6 for send in sends))
    louder = plan
    for send in sends:
        louder = set_send(louder, "harp", send.target, level_db=send.level_db + by)
    assert wet_db(model.edited(louder), "harp", "a") == pytest.approx(
        wet_db(model.edited(plan), "harp", "a") + by, abs=0.01
    )
    if all(send.send_point == "post" for send in sends):
        moved = set_tracks(plan, ["harp"], level_db=by)
        assert wet_db(model.edited(moved), "harp", "a") == pytest.approx(
            wet_db(model.edited(plan), "harp", "a"), abs=0.01
        )
