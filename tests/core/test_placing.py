"""Sources placed where they are wanted: exact in the model, true in the sound, honest about what cannot be."""

import math

import numpy as np
import pytest

from highhall.depth import DepthModel
from highhall.depth.confirming import place_heard
from highhall.depth.deepening import deepen
from highhall.depth.drift import alike_sections, drifts, target_of
from highhall.depth.placing import EXACT_DB, place
from highhall.depth.spaces import decay_s, suiting_spaces
from highhall.errors import CoreError
from highhall.plan import Plan, ReturnTarget, SendTarget, plan_from_document
from highhall.plan.edits import set_return, set_section_value, set_send
from highhall.plan.edits.moves import value_in
from tests.core.depth_songs import model_of, noise, plucked, rendered_db, reverb, song, stems_of
from tests.core.plans import make_document

SPACES = [
    {"id": "room", "chain": [reverb("room", 0.6)]},
    {"id": "hall", "chain": [reverb("hall", 2.4)]},
    {"id": "slap", "chain": [{"kind": "echo", "params": {"left": "120ms", "right": "120ms", "feedback": 0.0}}]},
]
SENDS = [
    {"from": "voice", "to": "room", "level_db": -14.0},
    {"from": "voice", "to": "hall", "level_db": -18.0},
    {"from": "voice", "to": "slap", "level_db": -20.0},
]
PLAN = song(
    returns=SPACES,
    sends=SENDS,
    groups=[],
    tracks=[{"id": n, "name": n.title(), "stem": f"{n}.wav"} for n in ("voice", "harp")],
)


@pytest.fixture(scope="module")
def model() -> DepthModel:
    return model_of(PLAN, plucked())


def level(plan: Plan, target: str, source: str = "voice", section: str | None = None) -> float | None:
    send = plan.send(source, target)
    if section is None:
        return send.level_db if send else None
    return value_in(plan, (SendTarget(source=source, target=target, param="level_db"), section))  # type: ignore[return-value]


def off_by_db(model: DepthModel, plan: Plan, source: str, section: str | None, distance_m: float) -> float:
    wet_db = model.edited(plan).readings[source, section].wet_db
    assert wet_db is not None
    return abs(wet_db - plan.space.wet_db_at(distance_m))


@pytest.mark.parametrize("section", [None, "a", "b"])
@pytest.mark.parametrize("distance_m", [1.4, 3.0, 9.0])
def test_a_placed_source_is_there_in_the_model_and_its_free_sends_move_together(model, section, distance_m) -> None:
    proposal = place(model, {("voice", section): distance_m})
    assert off_by_db(model, proposal.plan, "voice", section, distance_m) <= EXACT_DB
    (placed,) = proposal.placed
    assert placed.reason == ""
    assert placed.nearest_m < distance_m < placed.farthest_m
    changed = [level(proposal.plan, each, section=section) - level(PLAN, each) for each in ("room", "hall")]
    assert changed[0] == pytest.approx(changed[1], abs=0.01)
    assert level(proposal.plan, "slap", section=section) == -20.0
    assert {(change.target, change.section) for change in proposal.changes} == {("room", section), ("hall", section)}


def test_a_source_that_is_placed_by_ear_is_there_in_the_sound(model) -> None:
    wishes = {("voice", "a"): 2.5, ("voice", "b"): 7.0}
    wanted = {"a": PLAN.space.wet_db_at(2.5), "b": PLAN.space.wet_db_at(7.0)}
    stems = stems_of(plucked())
    assert rendered_db(place(model, wishes).plan, stems, "voice") == pytest.approx(wanted, abs=1.5)
    proposal, after = place_heard(model, stems, wishes)
    heard = rendered_db(proposal.plan, stems, "voice")
    assert heard == pytest.approx(wanted, abs=0.4)
    readings = after.edited(proposal.plan).readings
    assert {s: readings["voice", s].wet_db for s in "ab"} == pytest.approx(heard, abs=0.05)
    assert readings["voice", "a"].is_measured


def test_what_is_placed_twice_is_not_changed_and_the_order_of_wishes_does_not_matter(model) -> None:
    wishes = {("voice", None): 3.0, ("harp", None): 6.0}
    once = place(model, wishes)
    again = place(model.edited(once.plan), wishes)
    assert again.plan == once.plan
    assert again.changes == ()
    assert place(model, dict(reversed(wishes.items()))).plan == once.plan


def test_more_distance_never_needs_less_wet(model) -> None:
    levels = [level(place(model, {("voice", None): far}).plan, "hall") for far in np.geomspace(1.5, 12, 8)]
    assert levels == sorted(levels)


def test_a_whole_song_keeps_what_sections_differ_by(model) -> None:
    target = SendTarget(source="voice", target="hall", param="level_db")
    plan = set_section_value(PLAN, target, "b", -12.0)
    proposal = place(model.edited(plan), {("voice", None): 4.0})
    by = level(proposal.plan, "hall") - level(plan, "hall")
    assert level(proposal.plan, "hall", section="b") == pytest.approx(-12.0 + by, abs=0.01)


def test_what_is_out_of_reach_is_said_with_the_nearest_that_can_be_had(model) -> None:
    wetter = set_send(PLAN, "voice", "slap", level_db=-3.0)
    (near,) = place(model.edited(wetter), {("voice", None): 1.0}).placed
    assert near.reason.startswith("with slap as it is, not nearer than ")
    assert near.distance_m == pytest.approx(near.nearest_m, rel=0.02)
    proposal = place(model, {("voice", None): 40.0})
    (far,) = proposal.placed
    assert far.reason.startswith("with room and hall at +6 dB, not farther than ")
    assert far.distance_m == pytest.approx(far.farthest_m, rel=0.02)
    assert level(proposal.plan, "hall") == level(proposal.plan, "room") == 6.0


def test_a_send_at_the_end_of_its_range_leaves_the_rest_to_the_others(model) -> None:
    loud = set_send(PLAN, "voice", "room", level_db=5.5)
    quiet = set_send(loud, "voice", "hall", level_db=-9.0)
    proposal = place(model.edited(quiet), {("voice", None): 24.0})
    assert off_by_db(model, proposal.plan, "voice", None, 24.0) <= EXACT_DB
    assert level(proposal.plan, "room") == 6.0
    assert level(proposal.plan, "hall") > -9.0 + 0.5


def test_a_source_without_space_is_sent_into_those_that_suit_and_freed_returns_alone_change(model) -> None:
    proposal = place(model, {("harp", "b"): 5.0})
    assert off_by_db(model, proposal.plan, "harp", "b", 5.0) <= EXACT_DB
    assert {change.target for change in proposal.changes} == {"room", "hall"}
    assert level(proposal.plan, "hall", source="harp") is None  # silent outside of the section
    only = place(model, {("voice", None): 5.0}, free={"slap"})
    assert {change.target for change in only.changes} == {"slap"}


def test_the_spaces_that_suit_change_smoothly_with_distance() -> None:
    shares = [{r.id: share for r, share in suiting_spaces(PLAN, far)} for far in np.geomspace(0.3, 40, 60)]
    hall = np.array([share.get("hall", 0.0) for share in shares])
    assert (hall[0], hall[-1]) == (0.0, 1.0)
    assert np.diff(hall).min() >= 0
    assert np.diff(hall).max() < 0.15
    assert all(sum(share.values()) == pytest.approx(1) for share in shares)
    assert decay_s(PLAN.return_("hall")) == 2.4


def test_the_fader_makes_up_for_what_space_adds(model) -> None:
    proposal = place(model, {("voice", None): 12.0}, keeps_loudness=True)
    before, after = (each.readings["voice", None] for each in (model, model.edited(proposal.plan)))
    loudness = [10 * math.log10(reading.dry_power + reading.wet_power) for reading in (before, after)]
    assert loudness[0] == pytest.approx(loudness[1], abs=0.03)
    assert proposal.placed[0].trim_db < -2
    assert off_by_db(model, proposal.plan, "voice", None, 12.0) <= EXACT_DB


def test_a_group_is_placed_as_the_sum_of_its_tracks() -> None:
    plan = song(
        returns=SPACES, sends=[{"from": "band", "to": "hall", "level_db": -12.0}, {"from": "harp", "to": "room"}]
    )
    model = model_of(plan, noise())
    proposal = place(model, {("band", None): 3.0})
    assert off_by_db(model, proposal.plan, "harp", None, 3.0) <= EXACT_DB  # it has one track
    assert {(change.source, change.target) for change in proposal.changes} == {("band", "hall"), ("harp", "room")}


@pytest.mark.parametrize(
    ("wish", "change", "words"),
    [
        (("lute", None), {}, 'no track or group "lute"'),
        (
            ("voice", "a"),
            {"sound": np.zeros((1, 48000), np.float32)},
            "Voice is silent in a; there is nothing to place",
        ),
        (("harp", None), {"is_flat": True}, "no return with a space may change for Harp"),
    ],
)
def test_what_cannot_be_placed_is_refused_in_one_sentence(wish, change, words: str) -> None:
    plan = set_return(set_return(PLAN, "room", mute=True), "hall", mute=True) if change.get("is_flat") else PLAN
    with pytest.raises(CoreError, match=words):
        place(model_of(plan, change.get("sound", noise())), {wish: 3.0})


def test_a_section_is_deepened_by_one_value_a_space_and_the_median_of_its_sources_moves_by_the_factor(model) -> None:
    found = deepen(model, "b", 1.5)
    assert {move.target for move in found.plan.moves} == {
        ReturnTarget(target=each, param="level_db") for each in ("room", "hall")
    }
    was, now = found.distances_m["voice"]
    assert now / was == pytest.approx(1.5, abs=0.01)
    readings = [each.readings["voice", "a"].wet_db for each in (model, model.edited(found.plan))]
    assert readings[0] == pytest.approx(readings[1], abs=0.1)  # the ramp lies in the section before
    back = deepen(model.edited(found.plan), "b", 1 / 1.5)
    assert back.by_db == pytest.approx(-found.by_db, abs=0.1)


@pytest.mark.parametrize(
    ("section", "factor", "words"),
    [("z", 2.0, 'no section "z"'), ("a", 10.0, "cannot be made 10 times as deep")],
)
def test_a_section_that_cannot_be_deepened_says_why(model, section: str, factor: float, words: str) -> None:
    with pytest.raises(CoreError, match=words):
        deepen(model.edited(set_return(PLAN, "hall", level_db=6.0)), section, factor)


def test_a_target_drifts_when_its_space_changes_and_is_solved_again(model) -> None:
    placed = place(model, {("voice", None): 3.0}).plan
    changed = set_return(placed, "hall", level_db=4.0)
    (drift,) = drifts(model.edited(changed))
    assert drift.by_db > 0.5
    assert drift.distance_m > 3.0
    again = place(model.edited(changed), {("voice", None): 3.0})
    assert [abs(each.by_db) < EXACT_DB for each in drifts(model.edited(again.plan))] == [True]
    assert target_of(again.plan, "voice", "a") == target_of(again.plan, "voice", None)


def test_sections_are_alike_by_the_words_of_their_names() -> None:
    document = make_document(bars=10)
    names = ("Verse 1", "Refrain 1", "Verse 2", "Last Refrain", "Outro")
    document["song"]["sections"] = [
        {"id": name.lower().replace(" ", "-"), "name": name, "start": f"{2 * n + 1}|1", "end": f"{2 * n + 3}|1"}
        for n, name in enumerate(names)
    ]
    document["moves"] = []
    plan = plan_from_document(document)
    assert alike_sections(plan, "refrain-1") == ["refrain-1", "last-refrain"]
    assert alike_sections(plan, "outro") == ["outro"]
