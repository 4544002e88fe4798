"""Edits of tracks, time and sections: what they change, what stays, and what they refuse."""

from dataclasses import replace

import pytest

from highhall.errors import CoreError
from highhall.plan import Plan, Tempo, plan_from_document
from highhall.plan import edits as e
from highhall.plan.isolation import alone
from highhall.timing import Meter, Position
from tests.core.plans import example, make_document

P = Position.parse


@pytest.fixture
def plan() -> Plan:
    """Sections a (1-3) and b (3-5) of eight bars, and a move that tells them apart."""
    document = make_document()
    document["moves"] = [
        {
            "target": {"send": ["voice", "plate"], "param": "level_db"},
            "sections": [{"section": "a", "value": -20.0, "ramp": "1/4"}, {"section": "b", "value": -8.0}],
        }
    ]
    return plan_from_document(document)


def rooms(plan: Plan) -> list[tuple[str, str, str]]:
    return [(s.id, str(s.start), str(s.end)) for s in plan.song.sections]


def values(plan: Plan) -> list[tuple[str, object]]:
    return [(v.section, v.value) for m in plan.moves for v in m.sections]


def test_a_section_is_added_where_there_is_room(plan: Plan) -> None:
    assert e.open_stretch(plan, P("6|1")) == (P("5|1"), P("9|1"))
    assert e.open_stretch(plan, P("2|1")) is None
    assert e.open_stretch(plan, P("9|1")) is None
    added = e.add_section(plan, "A", P("5|1"), P("9|1"))
    assert rooms(added) == [("a", "1|1", "3|1"), ("b", "3|1", "5|1"), ("a-2", "5|1", "9|1")]
    with pytest.raises(CoreError, match='"c" overlaps "b", which ends at'):
        e.add_section(plan, "C", P("4|1"), P("6|1"))


def test_a_split_keeps_what_moves_say_in_both_parts(plan: Plan) -> None:
    parted = e.split_section(plan, "a", P("2|3"), "Rest")
    assert rooms(parted) == [("a", "1|1", "2|3"), ("rest", "2|3", "3|1"), ("b", "3|1", "5|1")]
    assert values(parted) == [("a", -20.0), ("rest", -20.0), ("b", -8.0)]
    assert [v.ramp is None for v in parted.moves[0].sections] == [False, True, True]
    with pytest.raises(CoreError, match=r"a lasts from 1\|1 to 3\|1; it cannot be split at 3\|1"):
        e.split_section(plan, "a", P("3|1"), "Rest")


def test_a_wall_between_two_sections_moves_for_both(plan: Plan) -> None:
    assert rooms(e.move_section(plan, "a", P("1|1"), P("4|1"))) == [("a", "1|1", "4|1"), ("b", "4|1", "5|1")]
    assert rooms(e.move_section(plan, "b", P("2|1"), P("9|1"))) == [("a", "1|1", "2|1"), ("b", "2|1", "9|1")]


@pytest.mark.parametrize(
    ("section", "start", "end", "message"),
    [
        ("a", "1|1", "5|1", "would leave no room for b"), ("a", "3|1", "3|1", "must end after it starts"),
        ("b", "3|1", "10|1", r"by the song's end 9\|1"), ("b", "1|1", "5|1", "would leave no room for a"),
    ],
)  # fmt: skip
def test_a_section_cannot_push_another_out(plan: Plan, section: str, start: str, end: str, message: str) -> None:
    with pytest.raises(CoreError, match=message):
        e.move_section(plan, section, P(start), P(end))


def test_a_section_that_goes_takes_its_values_along(plan: Plan) -> None:
    assert values(e.remove_section(plan, "a")) == [("b", -8.0)]
    assert e.set_sections(plan, ()).moves == ()
    assert values(e.rename_section(plan, "a", "Opening")) == values(plan)


def test_a_tempo_change_keeps_sections_on_their_bars_and_moves_their_seconds(plan: Plan) -> None:
    slower = e.put_tempo(plan, Tempo(at=P("1|1"), bpm=60.0))
    assert rooms(slower) == rooms(plan)
    assert slower.song.time.sample_at(P("3|1")) == 2 * plan.song.time.sample_at(P("3|1"))
    moved = e.put_tempo(slower, Tempo(at=P("2|1"), bpm=90.0))
    moved = e.put_tempo(moved, Tempo(at=P("4|1"), bpm=90.0, ramp=True), instead_of=P("2|1"))
    assert [(str(t.at), t.ramp) for t in moved.song.tempos] == [("1|1", False), ("4|1", True)]
    assert e.remove_tempo(moved, P("4|1")).song.tempos == slower.song.tempos
    with pytest.raises(CoreError, match=r"holds from 1\|1 and stays"):
        e.remove_tempo(plan, P("1|1"))


def test_meters_are_put_and_removed_and_positions_that_vanish_are_named(plan: Plan) -> None:
    waltz = e.put_meter(plan, Meter(3, 3, 4))
    assert rooms(waltz) == rooms(plan)
    assert e.put_meter(waltz, Meter(4, 3, 4), instead_of=3).song.meters == (Meter(1, 4, 4), Meter(4, 3, 4))
    assert e.remove_meter(waltz, 3).song.meters == plan.song.meters
    with pytest.raises(CoreError, match="holds from bar 1 and stays"):
        e.remove_meter(plan, 1)
    parted = e.split_section(plan, "a", P("2|4"), "Rest")
    with pytest.raises(CoreError, match=r"bar 2 is in 3/4, so its beats lie below 4, got \"2\|4\""):
        e.put_meter(parted, Meter(1, 3, 4))


def test_a_song_ends_where_it_is_told(plan: Plan) -> None:
    assert rooms(e.end_at(plan, P("4|1"))) == [("a", "1|1", "3|1"), ("b", "3|1", "4|1")]
    with pytest.raises(CoreError, match=r"by the song's end 3\|1"):
        e.end_at(plan, P("3|1"))
    assert str(e.lengthen(plan, 16.0).song.end) == "9|1"
    assert str(e.lengthen(plan, 16.1).song.end) == "10|1"


def test_a_map_from_elsewhere_keeps_what_moves_say_about_sections_of_the_same_id(plan: Plan) -> None:
    other = e.rename_section(e.remove_section(plan, "b"), "a", "A")
    taken = e.take_map(plan, replace(other.song, tempos=(Tempo(at=P("1|1"), bpm=77.0),), end=P("5|1")))
    assert (taken.song.tempos[0].bpm, str(taken.song.end)) == (77.0, "9|1")
    assert values(taken) == [("a", -20.0)]
    assert rooms(e.take_map(plan, replace(other.song, sections=()))) == rooms(plan)


def order(plan: Plan) -> list[str]:
    return [track.id for track in plan.tracks]


@pytest.mark.parametrize(
    ("moved", "before", "expected"),
    [
        (["drum"], "voice", ["drum", "voice", "harp"]), (["voice"], None, ["harp", "drum", "voice"]),
        (["drum", "voice"], "harp", ["voice", "drum", "harp"]), (["voice", "harp"], "harp", ["voice", "harp", "drum"]),
        (["voice", "harp", "drum"], "drum", ["voice", "harp", "drum"]), ([], "harp", ["voice", "harp", "drum"]),
    ],
)  # fmt: skip
def test_tracks_are_put_in_order(plan: Plan, moved: list[str], before: str | None, expected: list[str]) -> None:
    placed = e.place_tracks(plan, moved, before)
    assert order(placed) == expected
    assert placed.sends == plan.sends


def test_many_tracks_are_changed_at_once_or_not_at_all(plan: Plan) -> None:
    muted = e.set_tracks(plan, ["voice", "drum"], mute=True)
    assert [t.mute for t in muted.tracks] == [True, False, True]
    nudged = e.nudge_levels(plan, ["voice", "harp"], -2.5)
    assert [t.level_db for t in nudged.tracks] == [-5.5, -2.5, -6.0]
    silent = e.set_tracks(plan, ["voice"], level_db=None)
    assert e.nudge_levels(silent, ["voice"], 3.0).track("voice").level_db is None
    with pytest.raises(CoreError, match='there is no "oboe"'):
        e.set_tracks(plan, ["voice", "oboe"], mute=True)
    with pytest.raises(CoreError, match="from -120 to 24"):
        e.nudge_levels(plan, ["voice"], 40.0)


def test_groups_are_made_filled_and_removed(plan: Plan) -> None:
    grouped = e.add_group(plan, "Solo Voices", ["voice"])
    assert (grouped.track("voice").group, grouped.groups[-1].name) == ("solo-voices", "Solo Voices")
    assert e.set_group(grouped, "solo-voices", name="Front").group("solo-voices").name == "Front"
    removed = e.remove_group(plan, "band")
    assert [t.group for t in removed.tracks] == [None, None, None]
    assert removed.return_("plate").output == "main"
    assert not [s for s in removed.sends if s.source == "band"]


def test_tracks_go_with_their_sends_and_those_sends_moves(plan: Plan) -> None:
    removed = e.remove_tracks(plan, ["voice", "harp"])
    assert order(removed) == ["drum"]
    assert removed.moves == ()
    assert {s.source for s in removed.sends}.isdisjoint({"voice", "harp"})


def test_a_return_goes_with_all_that_names_it() -> None:
    plan = plan_from_document(example())
    removed = e.remove_return(plan, "long-hall")
    assert (removed.returns, removed.sends, removed.moves) == ((), (), ())


def test_alone_a_track_keeps_what_it_feeds_and_the_others_feed_nothing(plan: Plan) -> None:
    heard = alone(plan, {"voice"})
    assert [t.id for t in heard.tracks if not t.mute] == ["voice"]
    sources = {s.source for s in heard.sends}
    assert "voice" in sources
    assert sources.isdisjoint({"harp", "drum"})
    assert heard.returns == plan.returns


def test_a_step_goes_with_its_moves_and_others_keep_theirs() -> None:
    document = make_document()
    move = {"sections": [{"section": "a", "value": 2.0}]}
    document["moves"] = [{"target": {"return": "hall", "step": "reverb", "param": "decay_s"}, **move}]
    plan = plan_from_document(document)
    echo = e.effect_of_kind("echo", "echo", {"left": "1/8", "right": "1/4"})
    longer = e.add_effect(e.add_effect(plan, "hall", echo), "hall", echo)
    assert [effect.id for effect in longer.return_("hall").chain] == ["reverb", "tone", "echo", "echo-2"]
    assert e.remove_effect(longer, "hall", "echo").moves == plan.moves
    assert e.remove_effect(longer, "hall", "reverb").moves == ()
    first = e.place_effect(longer, "hall", "echo-2", -1)
    assert [effect.id for effect in first.return_("hall").chain] == ["reverb", "tone", "echo-2", "echo"]
    assert e.place_effect(first, "hall", "reverb", -1) == first
