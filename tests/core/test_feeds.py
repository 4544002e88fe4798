"""What returns are fed is kept: edits that leave it as it is read no source, edits of a send read that one."""

from collections.abc import Callable

import numpy as np
import pytest

from highhall.plan import Plan, Return, edits, plan_from_document
from highhall.plan.isolation import differing_sends, only_fed
from highhall.plan.model import SendTarget
from highhall.render import Engine, Stems
from highhall.render.kept import Kept
from highhall.render.segment_renderer import SegmentRenderer
from highhall.render.segments import LaneSegments
from tests.core.plans import make_document, make_plan, make_stems

HASHES = {"voice.wav": "1", "harp.wav": "2", "drum.wav": "3"}
PLAYED = range(5)
EDITED = 3


class CountedStems(Stems):
    """Stems that note which are read."""

    def __init__(self, stems: Stems, plan: Plan) -> None:
        super().__init__({track.stem: stems.samples(track) for track in plan.tracks})
        self.were_read: set[str] = set()

    def read(self, track, *place):
        self.were_read.add(track.id)
        return super().read(track, *place)


def heard_after(plan: Plan, edit: Callable[[Plan], Plan], lane: str = "hall") -> tuple[set[str], float]:
    """Return which stems an edit reads after some of the lane was played, and how far its segment is from the whole song's, in dB."""
    stems = CountedStems(make_stems(plan), plan)
    renderer, before = SegmentRenderer(kept_bytes=64 << 20), LaneSegments(plan, lane, HASHES)
    for index in PLAYED:
        renderer.render(before, stems, index)
    edited = LaneSegments(edit(plan), lane, HASHES)
    stems.were_read.clear()
    sound = renderer.render(edited, stems, EDITED).sound
    read = set(stems.were_read)
    whole = Engine(edited.plan, stems).advance((EDITED + 1) * edited.frames).returns[lane]
    expected = whole[:, EDITED * edited.frames :]
    assert np.abs(expected).max() > 1e-3
    return read, 20 * np.log10(np.abs(sound - expected).max() / np.abs(expected).max() + 1e-12)


@pytest.mark.parametrize(
    "edit",
    [
        lambda plan: edits.set_effect(plan, "hall", "reverb", params={"decay_s": 1.9}),
        lambda plan: edits.set_return(plan, "hall", level_db=-4.0, width=0.5),
    ],
)
def test_an_edit_of_a_return_reads_no_source_and_runs_nothing_that_feeds_it(edit) -> None:
    read, away_db = heard_after(make_plan(), edit)
    assert read == set()
    assert away_db < -100


@pytest.mark.parametrize("first", ["tone", "echo", "drive", "crush", "leveler"])
def test_any_effect_may_come_first_behind_what_is_kept(first: str) -> None:
    params = {"tone": {"bands": [{"shape": "low_cut", "hz": 90}]}, "echo": {"left": "1/8", "right": "1/4"}}
    document = make_document()
    document["returns"][1]["chain"].insert(0, {"kind": first, "params": params.get(first, {})})
    plan = plan_from_document(document)
    _, away_db = heard_after(plan, lambda plan: edits.set_effect(plan, "hall", "reverb", params={"decay_s": 1.9}))
    assert away_db < -100


def test_an_edit_of_a_send_reads_its_source_alone() -> None:
    plan = make_plan()
    read, away_db = heard_after(plan, lambda plan: edits.set_send(plan, "voice", "hall", level_db=-4.0))
    assert read == {"voice"}
    assert away_db < -100
    level = SendTarget(source="voice", target="hall", param="level_db")
    read, away_db = heard_after(plan, lambda plan: edits.set_section_value(plan, level, "b", -30.0))
    assert read == {"voice"}
    assert away_db < -100


def test_an_edit_of_what_feeds_a_return_is_heard_behind_it() -> None:
    read, away_db = heard_after(
        make_plan(), lambda plan: edits.set_effect(plan, "plate", "reverb", params={"decay_s": 1})
    )
    assert read == {"voice", "harp", "drum"}
    assert away_db < -100


def test_a_thousand_edits_of_a_send_add_up_to_no_error() -> None:
    plan = make_plan(bars=4)
    stems, renderer = make_stems(plan), SegmentRenderer(kept_bytes=64 << 20)
    renderer.render(LaneSegments(plan, "hall", HASHES), stems, 0)
    for number in range(1000):
        plan = edits.set_send(plan, "voice", "hall", level_db=-6.0 - number % 7)
        heard = renderer.render(LaneSegments(plan, "hall", HASHES), stems, 0).sound
    alone = SegmentRenderer(kept_bytes=0).render(LaneSegments(plan, "hall", HASHES), stems, 0).sound
    assert np.abs(heard - alone).max() < 10 ** (-100 / 20) * np.abs(alone).max()


def test_returns_that_are_fed_the_same_share_it() -> None:
    document = make_document()
    document["returns"].append({**document["returns"][0], "id": "twin"})
    document["sends"].append({"from": "voice", "to": "twin", "level_db": -10.0})
    plan = plan_from_document(document)
    stems, renderer = CountedStems(make_stems(plan), plan), SegmentRenderer(kept_bytes=64 << 20)
    plate, twin = (LaneSegments(plan, lane, HASHES) for lane in ("plate", "twin"))
    first = [renderer.render(plate, stems, index).sound for index in (0, 1)]
    stems.were_read.clear()
    second = [renderer.render(twin, stems, index).sound for index in (0, 1)]
    assert stems.were_read == set()
    np.testing.assert_array_equal(first, second)
    assert renderer.render(twin, stems, 2).sound.any()


def test_what_a_return_is_fed_has_nothing_of_the_return() -> None:
    document = make_document()
    document["moves"].append({"target": {"return": "hall", "param": "width"}, "points": [{"at": "2|1", "value": 0.5}]})
    plan = plan_from_document(document)
    fed = only_fed(plan, "hall")
    assert [move.target for move in fed.moves] == [move.target for move in make_plan().moves]
    assert fed.return_("hall") == Return(id="hall", name="hall")
    assert fed.return_("plate") == plan.return_("plate")


def test_sends_differ_alone_or_not_at_all() -> None:
    plan = make_plan()
    louder = edits.set_send(plan, "voice", "hall", level_db=-3.0)
    old, new = differing_sends(plan, louder, "hall")
    assert [send.level_db for send in old.sends] == [-16.0]
    assert [send.level_db for send in new.sends] == [-3.0]
    assert [return_.id for return_ in new.returns] == ["hall"]
    assert new.moves == plan.moves
    through = edits.set_send(plan, "plate", "hall", level_db=-3.0)
    assert [send.source for send in differing_sends(plan, through, "hall")[1].sends] == ["voice", "plate"]
    gone = edits.remove_send(plan, "voice", "hall")
    assert differing_sends(plan, gone, "hall")[1].sends == ()
    assert differing_sends(plan, plan, "hall") is None
    assert differing_sends(plan, edits.set_tracks(louder, ["harp"], level_db=-9.0), "hall") is None
    most = edits.set_send(louder, "band", "hall", level_db=-3.0)
    assert differing_sends(plan, most, "hall") is None  # two of three: it is as quick to begin anew


def test_what_is_kept_stays_within_its_limit_and_what_was_used_last_stays_longest() -> None:
    kept = Kept(limit_bytes=100)
    for key in "abc":
        kept.keep(key, key.upper(), 40)
    assert [kept.find(key) for key in "abc"] == [None, "B", "C"]
    kept.find("b")
    kept.keep("b", "new", 30)
    kept.keep("d", "D", 30)
    assert (kept.held_bytes, kept.take("c"), kept.take("c")) == (100, "C", None)
    kept.keep("huge", "H", 101)
    assert (kept.find("huge"), kept.held_bytes) == (None, 60)


class GivenUpError(Exception):
    """What gives way is not wanted any more."""


@pytest.mark.parametrize("calls", range(1, 6))
def test_what_is_given_up_leaves_what_others_go_on_from_as_it_was(calls: int) -> None:
    plan = make_plan()
    stems, before = make_stems(plan), LaneSegments(plan, "hall", HASHES)
    longer = LaneSegments(edits.set_effect(plan, "hall", "reverb", params={"decay_s": 9.0}), "hall", HASHES)
    renderer, undisturbed = SegmentRenderer(kept_bytes=64 << 20), SegmentRenderer(kept_bytes=64 << 20)
    for index in (2, 3):
        for each in (renderer, undisturbed):
            each.render(before, stems, index)
    left = calls

    def give_way() -> None:
        nonlocal left
        left -= 1
        if not left:
            raise GivenUpError

    with pytest.raises(GivenUpError):
        renderer.render(longer, stems, 4, give_way)
    held = renderer.held_bytes
    for index in (4, 5):
        sound = renderer.render(before, stems, index).sound
        np.testing.assert_array_equal(sound, undisturbed.render(before, stems, index).sound)
    assert held > 0
