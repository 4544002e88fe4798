"""The plan format: what is read, what is refused and where, and that nothing is lost."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from highhall.plan import PlanRefusedError, SendTarget, document_of, edits, parse_plan, plan_from_document, write_plan
from highhall.plan.format import plan_schema
from highhall.plan.kinds import KINDS
from highhall.plan.order import return_stages
from highhall.plan.reference import kinds_page
from highhall.timing import Milliseconds, NoteValue
from tests.core.plans import example, make_plan

Document = dict[str, Any]


def test_the_example_reads_and_writes_without_loss() -> None:
    plan = plan_from_document(example())
    assert parse_plan(write_plan(plan)) == plan


def test_the_example_and_what_we_write_satisfy_the_schema() -> None:
    validator = jsonschema.Draft202012Validator(plan_schema())
    validator.check_schema(plan_schema())
    validator.validate(example())
    validator.validate(document_of(plan_from_document(example())))


def test_defaults_are_those_of_the_format() -> None:
    track = plan_from_document(example()).tracks[0]
    assert (track.start_s, track.mute) == (0.0, False)
    effect = make_plan().return_("plate").chain[0]
    assert (effect.id, effect.on) == ("reverb", True)
    assert effect.value("pre_delay") == Milliseconds(0)
    assert effect.number("low_ratio") == 1.1


def _set(path: str, value: Any) -> Callable[[Document], None]:
    def change(document: Document) -> None:
        *parents, last = [int(p) if p.isdecimal() else p for p in path.split(".")]
        target: Any = document
        for parent in parents:
            target = target[parent]
        target[last] = value

    return change


REFUSED = [
    (_set("song.bogus", 1), "song.bogus", "unknown key"),
    (_set("returns.0.chain.0.params.space", "cave"), "returns[0].chain[0].params.space", "one of room, chamber"),
    (_set("returns.0.chain.0.params.decay_s", 31), "returns[0].chain[0].params.decay_s", "a number from 0.1 to 30 s"),
    (_set("returns.0.chain.0.params.decay_s", True), "returns[0].chain[0].params.decay_s", "a number from"),
    (_set("returns.0.chain.0.params.pre_delay", "2 beats"), "returns[0].chain[0].params.pre_delay", "note value"),
    (_set("returns.0.chain.0.params.pre_delay", "501ms"), "returns[0].chain[0].params.pre_delay", "from 0 to 500 ms"),
    (
        _set("returns.0.chain.0.params.pre_delay", "1/2"),
        "returns[0].chain[0].params.pre_delay",
        "at the tempo of bar 55",
    ),
    (_set("returns.0.chain.0.params", {"space": "hall"}), "returns[0].chain[0].params", '"decay_s" is missing'),
    (_set("returns.0.chain.0.kind", "magic"), "returns[0].chain[0].kind", "one of reverb"),
    (_set("returns.0.output", "nowhere"), "returns[0].output", 'expected "main" or a group'),
    (_set("returns.0.id", "fiddle"), "returns[0].id", "is taken"),
    (_set("returns.0.id", "Long Hall"), "returns[0].id", "lower-case letters"),
    (_set("tracks.0.stem", "../fiddle.flac"), "tracks[0].stem", "inside the plan's folder"),
    (_set("tracks.0.stem", "/etc/passwd"), "tracks[0].stem", "inside the plan's folder"),
    (_set("tracks.0.group", "brass"), "tracks[0].group", 'no group "brass"'),
    (_set("tracks.0.pan", 1.5), "tracks[0].pan", "from -1 to 1"),
    (_set("tracks.0.level_db", float("inf")), "tracks[0].level_db", "from -120 to 24 dB or null"),
    (_set("tracks.0.level_db", "loud"), "tracks[0].level_db", "from -120 to 24 dB or null"),
    (_set("sends.0.to", "attic"), "sends[0].to", 'no return "attic"'),
    (_set("sends.0.from", "nobody"), "sends[0].from", "no track, group or return"),
    (_set("song.meters", []), "song.meters", "1 to 20000 elements"),
    (_set("song.tempos.0.bpm", 5), "song.tempos[0].bpm", "from 10 to 400"),
    (_set("song.sections.1.start", "12|1"), "song.sections[1]", "overlaps"),
    (_set("song.sections.0.start", "5|7"), "song.sections[0]", "below 7"),
    (_set("song.end", "0|1"), "song.end", "count from 1"),
    (_set("moves.0.target.param", "tap"), "moves[0].target", "cannot be moved"),
    (_set("moves.0.sections.0.value", 99.0), "moves[0].sections[0].value", "from -120 to 24"),
    (_set("moves.0.sections.1.section", "verse-1"), "moves[0].sections[1].section", "is taken"),
    (_set("moves.0.points.1.at", "30|1"), "moves[0].points", "must ascend"),
    (_set("moves.2.target.step", "gone"), "moves[2].target", 'no effect "gone"'),
    (_set("moves.2.target", {"return": "long-hall", "param": "level_db"}), "moves[2].target", "has a move already"),
    (_set("version", 2), "version", "newer"),
]


@pytest.mark.parametrize(
    ("change", "path", "text"), REFUSED, ids=[f"{n} {path}" for n, (_, path, _) in enumerate(REFUSED)]
)
def test_a_fault_is_refused_with_its_path_and_what_is_right(
    change: Callable[[Document], None], path: str, text: str
) -> None:
    document = example()
    change(document)
    with pytest.raises(PlanRefusedError) as refusal:
        plan_from_document(document)
    assert any(p.path == path and text in p.text for p in refusal.value.problems), str(refusal.value)


def test_all_faults_are_found_in_one_reading() -> None:
    document = example()
    _set("tracks.0.pan", 9)(document)
    _set("sends.0.level_db", 99)(document)
    with pytest.raises(PlanRefusedError) as refusal:
        plan_from_document(document)
    assert [p.path for p in refusal.value.problems] == ["tracks[0].pan", "sends[0].level_db"]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ('{"format": NaN}', "NaN"),
        ('{"format": 1, "format": 2}', 'the key "format" stands twice'),
        ("{", "not JSON"),
        ("[]", "an object"),
        ('{"a": 1e999}', "unknown key"),
    ],
)
def test_what_is_not_a_plan_at_all_is_refused(text: str, message: str) -> None:
    with pytest.raises(PlanRefusedError, match=message):
        parse_plan(text)


def test_returns_that_feed_each_other_in_a_loop_are_refused_by_name() -> None:
    document = document_of(make_plan())
    document["sends"].append({"from": "hall", "to": "plate"})
    with pytest.raises(PlanRefusedError, match=r"(hall -> plate -> hall|plate -> hall -> plate)"):
        plan_from_document(document)


def test_feeders_come_before_what_they_feed() -> None:
    assert return_stages(make_plan()) == [["plate"], ["hall"]]


def test_dry_sound_may_not_leave_a_return_through_mix() -> None:
    document = document_of(make_plan())
    document["returns"][0]["chain"] = [{"kind": "chorus", "params": {"mix": 0.5}}]
    with pytest.raises(PlanRefusedError, match="dry sound never leaves a return"):
        plan_from_document(document)


def test_every_kind_with_its_defaults_is_read_and_kept() -> None:
    given = {
        "reverb": {"space": "room", "decay_s": 1}, "impulse": {"ir": "ir/room.wav"}, "echo": {"left": "1/8.", "right": "1/4"},
        "tone": {"bands": []}, "duck": {"key": "voice"},
    }  # fmt: skip
    document = document_of(make_plan())
    document["moves"] = []
    document["returns"][0]["chain"] = [{"kind": kind, "params": given.get(kind, {})} for kind in KINDS]
    plan = plan_from_document(document)
    assert [effect.kind for effect in plan.return_("plate").chain] == list(KINDS)
    assert parse_plan(write_plan(plan)) == plan


def test_an_edit_gives_a_new_plan_and_leaves_the_old() -> None:
    plan = make_plan()
    changed = edits.set_send(plan, "harp", "plate", level_db=-20.0)
    assert plan.send("harp", "plate") is None
    send = changed.send("harp", "plate")
    assert send is not None
    assert send.level_db == -20.0


def test_an_edit_that_breaks_a_rule_is_refused() -> None:
    with pytest.raises(PlanRefusedError, match="loop"):
        edits.set_send(make_plan(), "hall", "plate")


def test_removing_a_return_takes_its_sends_and_moves_along() -> None:
    plan = edits.remove_return(make_plan(), "hall")
    assert [s.target for s in plan.sends] == ["plate"]
    assert plan.moves == ()


def test_a_section_value_is_set_and_cleared() -> None:
    target = SendTarget(source="band", target="hall", param="level_db")
    plan = edits.set_section_value(make_plan(), target, "a", -30.0, ramp=NoteValue(1, 8))
    move = plan.move(target)
    assert move is not None
    assert move.sections[0].value == -30.0
    assert edits.clear_section_value(plan, target, "a") == make_plan()


def test_new_ids_come_from_names_and_stay_unique() -> None:
    chain = (edits.effect_of_kind("reverb", "space", {"space": "plate", "decay_s": 1.0}),)
    plan, first = edits.add_return(make_plan(), "Plate!", chain)
    plan, second = edits.add_return(plan, "Plate", chain)
    assert (first, second) == ("plate-2", "plate-3")


def test_the_pages_in_the_docs_are_the_ones_we_make() -> None:
    docs = Path(__file__).parents[2] / "docs"
    assert json.loads((docs / "plan.schema.json").read_text()) == plan_schema()
    assert (docs / "kinds.md").read_text() == kinds_page()
