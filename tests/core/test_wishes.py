"""Where sources are wanted: in the plan, in edits, in differences."""

import pytest

from highhall.plan import PlanRefusedError, document_of, plan_from_document
from highhall.plan.differences import differences, take_over
from highhall.plan.edits import remove_group, remove_section, remove_tracks, set_space, set_targets, split_section
from highhall.timing import Position
from tests.core.plans import make_document, make_plan

WANTED = {("voice", None): 2.0, ("voice", "b"): 3.5, ("band", None): 6.0}


def wishes(plan) -> dict[tuple[str, str | None], float]:
    return {(target.source, target.section): target.distance_m for target in plan.targets}


def test_targets_are_written_only_where_there_are_any_and_read_back() -> None:
    plan = make_plan()
    assert "depth" not in document_of(plan)
    wanted = set_targets(plan, WANTED)
    assert wishes(wanted) == WANTED
    assert document_of(wanted)["depth"]["targets"][0] == {"source": "voice", "distance_m": 2.0}
    assert plan_from_document(document_of(wanted)) == wanted
    changed = set_targets(wanted, {("voice", None): 4.0, ("voice", "b"): None, ("band", None): None})
    assert wishes(changed) == {("voice", None): 4.0}
    assert set_targets(changed, {("voice", None): None}) == plan


def test_the_room_sets_the_scale_of_distances() -> None:
    plan = set_space(make_plan(), volume_m3=2000.0)
    assert plan.space.critical_distance_m == pytest.approx(0.057 * 2000**0.5)
    assert plan.space.wet_db_at(plan.space.distance_m(-7.3)) == pytest.approx(-7.3)
    assert set_space(plan, volume_m3=20000.0) == make_plan()


@pytest.mark.parametrize(
    ("targets", "words"),
    [
        ([{"source": "lute", "distance_m": 2}], 'no track or group "lute"'),
        ([{"source": "plate", "distance_m": 2}], 'no track or group "plate"'),
        ([{"source": "voice", "section": "z", "distance_m": 2}], 'no section "z"'),
        ([{"source": "voice", "distance_m": 2}, {"source": "voice", "distance_m": 3}], "two places"),
        ([{"source": "voice", "distance_m": 0.1}], "0.2 to 60"),
    ],
)
def test_targets_that_cannot_be_are_refused_with_their_place(targets, words: str) -> None:
    with pytest.raises(PlanRefusedError, match=words):
        plan_from_document({**make_document(), "depth": {"targets": targets}})


def test_who_removes_a_source_or_a_section_removes_its_targets_and_a_part_of_a_section_keeps_them() -> None:
    plan = set_targets(make_plan(), WANTED)
    assert set(wishes(remove_tracks(plan, ["voice"]))) == {("band", None)}
    assert set(wishes(remove_group(plan, "band"))) == {("voice", None), ("voice", "b")}
    assert set(wishes(remove_section(plan, "b"))) == {("voice", None), ("band", None)}
    split = split_section(plan, "b", Position.parse("4|1"), "Late")
    assert wishes(split)["voice", "late"] == 3.5


def test_differences_of_targets_and_room_are_told_and_taken_over() -> None:
    plan = make_plan()
    other = set_space(set_targets(plan, {("voice", "b"): 3.5}), decay_s=1.5)
    found = {difference.key: difference for difference in differences(plan, other)}
    assert found["target/voice/b"].words == ("nowhere", "3.5 m")
    assert found["target/voice/b"].section == "b"
    assert found["space/decay_s"].words == ("2.5", "1.5")
    for key in found:
        plan = take_over(plan, other, key)
    assert plan == other
    back = take_over(plan, make_plan(), "target/voice/b")
    assert back.targets == ()
