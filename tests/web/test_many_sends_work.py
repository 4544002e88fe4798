"""Many sends changed at once through the web, and the rows of groups and returns in the matrix."""

import pytest

from highhall.plan import SendTarget
from highhall.plan.edits import send_level
from highhall.plan.edits.moves import value_in
from tests.web.factories import stored_plan
from tests.web.test_returns_work import get, post, undo

CELLS = ["voice/plate", "voice/hall", "harp/hall"]  # -10, -16 dB, and none


def many(client, song, do: str, value: str = "", cells=CELLS, **fields):
    return post(client, "sends:set-many-sends", song, cell=cells, do=do, value=value, **fields)


def levels(song, section: str | None = None) -> list[float | None]:
    plan = stored_plan(song)
    return [send_level(plan, (s, t), section) if plan.send(s, t) else -999.0 for s, t in (c.split("/") for c in CELLS)]


@pytest.mark.parametrize(
    ("do", "value", "expected"),
    [
        ("set", "-6 dB", [-6, -6, -6]), ("unity", "", [0, 0, 0]), ("nudge", "\N{MINUS SIGN}1.5", [-11.5, -17.5, -999]),
        ("scale", "50 %", [-10, -13, -999]), ("clear", "", [-999, -999, -999]), ("set", "-inf", [None, None, None]),
    ],
)  # fmt: skip
def test_all_chosen_sends_change_as_one_edit(signed_in, song, do: str, value: str, expected: list[float]) -> None:
    assert many(signed_in, song, do, value).status_code == 200
    assert levels(song) == expected
    undo(signed_in, song)
    assert levels(song) == [-10, -16, -999]


def test_off_switches_sends_off_and_keeps_their_levels(signed_in, song) -> None:
    assert many(signed_in, song, "set", "off").status_code == 200
    plan = stored_plan(song)
    assert [(s.on, s.level_db) for s in plan.sends if s.source == "voice"] == [(False, -10), (False, -16)]
    post(signed_in, "sends:set-send", song, source="voice", target="plate", field="on")
    post(signed_in, "sends:set-send", song, source="voice", target="plate", field="level", section="b", value="off")
    on = SendTarget(source="voice", target="plate", param="on")
    plan = stored_plan(song)
    assert (value_in(plan, (on, "a")), value_in(plan, (on, "b"))) == (True, False)


def test_a_change_in_a_section_holds_there_alone(signed_in, song) -> None:
    many(signed_in, song, "nudge", "2", section="a")
    assert levels(song, "a") == [-8, -14, -999]
    assert levels(song) == [-10, -16, -999]


def test_taps_switches_and_pans(signed_in, song) -> None:
    for do, value in (("pre", ""), ("off", ""), ("pan", "-30")):
        many(signed_in, song, do, value)
    assert [(s.send_point, s.on, s.pan) for s in stored_plan(song).sends if s.source == "voice"] == [
        ("pre", False, -0.3)
    ] * 2
    assert "L30" in get(signed_in, "sends:show", song).content.decode()
    for do in ("post", "on"):
        many(signed_in, song, do)
    assert [(s.send_point, s.on) for s in stored_plan(song).sends if s.source == "voice"] == [("post", True)] * 2


def test_levels_are_pasted_one_by_one(signed_in, song) -> None:
    many(signed_in, song, "paste", level=["-1.0", "\N{MINUS SIGN}2.0", "off"])
    assert levels(song) == [-1, -2, None]


def test_a_return_is_made_for_the_chosen_instruments(signed_in, song) -> None:
    page = many(signed_in, song, "return", start="booth").content.decode()
    made = stored_plan(song).returns[-1]
    assert made.name == "Booth"
    assert [(s.source, s.level_db) for s in stored_plan(song).sends_into(made.id)] == [("voice", -12), ("harp", -12)]
    assert "Booth" in page


@pytest.mark.parametrize(
    ("do", "value", "words"),
    [
        ("set", "loud", "Type a number from"), ("nudge", "much", "Type by how many dB"),
        ("scale", "wide", "in per cent"), ("pan", "200", "Type a number from"), ("return", "", "Choose what the new return"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_and_changes_nothing(signed_in, song, do: str, value: str, words: str) -> None:
    answer = many(signed_in, song, do, value)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert levels(song) == [-10, -16, -999]


def test_nothing_chosen_is_said_and_what_is_no_cell_is_404(signed_in, song) -> None:
    assert "Choose sends first" in many(signed_in, song, "set", "-6", cells=[]).content.decode()
    assert many(signed_in, song, "set", "-6", cells=["nobody/hall"]).status_code == 404
    assert many(signed_in, song, "explode").status_code == 404
    assert many(signed_in, song, "paste", level=["-1"]).status_code == 404


def test_groups_and_returns_are_sources_and_a_loop_cannot_be_pressed(signed_in, song) -> None:
    page = get(signed_in, "sends:show", song).content.decode()
    assert 'id="send-band-hall"' in page
    assert 'id="send-plate-hall"' in page
    refused = page.partition('id="send-hall-plate"')[2].partition("</td>")[0]
    assert "plate feeds hall: that would be a loop" in refused
    assert "<button" not in refused
    post(signed_in, "sends:set-send", song, source="band", target="plate", field="add")
    assert stored_plan(song).send("band", "plate").level_db == -20
    loop = many(signed_in, song, "set", "-6", cells=["hall/plate"])
    assert loop.status_code == 422
    assert "loop" in loop.content.decode()
