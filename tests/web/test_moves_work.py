"""Moves through the web: values by section, throws at phrase ends, gaps, ringing out, points, rides, the song at a glance."""

import json
import re

import pytest
from django.urls import reverse

from hallweb.analysis.stems import phrases_of
from highhall.plan import EffectTarget, ReturnTarget, SendTarget
from highhall.plan.edits.moves import value_in
from tests.web.factories import make_song, make_user, sing, stored_plan
from tests.web.test_returns_work import get, post, undo

PLATE = SendTarget(source="voice", target="plate", param="level_db")
HALL = SendTarget(source="voice", target="hall", param="level_db")
KEY = "send:voice:plate:level_db"


@pytest.fixture
def sung(song):
    return sing(song)


def cells(client, song, *named, **said):
    song.refresh_from_db()
    return post(client, "moves:change-cells", song, cell=[f"{key}|{section}" for key, section in named], **said)


def thrown(song, target=PLATE):
    plan = stored_plan(song)
    move = plan.move(target)
    time = plan.song.time
    return (
        [(round(time.seconds_at(t.at), 2), round(time.seconds_after(t.length, t.at), 2)) for t in move.throws]
        if move
        else []
    )


def test_rows_by_return_by_instrument_and_the_song(signed_in, sung) -> None:
    by_return = get(signed_in, "moves:show", sung, by="return:hall").content.decode()
    for row in (
        "send:voice:hall:level_db",
        "send:band:hall:level_db",
        "send:plate:hall:level_db",
        "return:hall:level_db",
    ):
        assert f'data-move-row="{row}"' in by_return
    assert "voice in Refrain: −6.0, ramp 1/8 before" in by_return
    assert "voice in Verse: −16.0, as in the song" in by_return
    by_track = get(signed_in, "moves:show", sung, by="track:voice").content.decode()
    assert by_track.count("data-move-row=") == 2
    assert by_track.count('class="phrase"') > 3
    glance = get(signed_in, "moves:show", sung, by="song").content.decode()
    assert "nothing" in glance
    assert "1 value" in glance
    assert max(float(width) for width in re.findall(r'class="wet-bar" width="([^"]+)"', glance)) > 20
    assert (
        'data-move-row="return:plate:level_db"' in get(signed_in, "moves:show", sung, by="return:none").content.decode()
    )


def test_cells_are_set_nudged_ramped_and_cleared_as_one_edit_each(signed_in, sung) -> None:
    both = ((KEY, "a"), (KEY, "b"))
    cells(signed_in, sung, *both, do="set", value="-5")
    assert [value_in(stored_plan(sung), (PLATE, s)) for s in "ab"] == [-5, -5]
    cells(signed_in, sung, (KEY, "b"), do="nudge", value="1.5")
    cells(signed_in, sung, *both, do="ramp", value="1/2", side="after")
    values = stored_plan(sung).move(PLATE).sections
    assert [(v.value, str(v.ramp), v.ramp_side) for v in values] == [(-5, "1/2", "after"), (-3.5, "1/2", "after")]
    cells(signed_in, sung, *both, do="bend", value="40")
    assert [v.ramp_bend for v in stored_plan(sung).move(PLATE).sections] == [0.4, 0.4]
    cells(signed_in, sung, (KEY, "a"), do="set", value="")
    assert value_in(stored_plan(sung), (PLATE, "a")) == -10
    undo(signed_in, sung)
    assert value_in(stored_plan(sung), (PLATE, "a")) == -5
    cells(signed_in, sung, (KEY, "a"), do="still")
    assert stored_plan(sung).move(PLATE) is None


def test_a_section_is_copied_pasted_and_returns_are_swapped(signed_in, sung) -> None:
    hall = "send:voice:hall:level_db"
    cells(signed_in, sung, (hall, "a"), (KEY, "a"), do="like", like="b", value="2")
    plan = stored_plan(sung)
    assert (value_in(plan, (HALL, "a")), value_in(plan, (PLATE, "a"))) == (-4, -8)
    cells(signed_in, sung, (hall, "b"), do="swap", like="plate")
    plan = stored_plan(sung)
    assert (value_in(plan, (HALL, "b")), value_in(plan, (PLATE, "b"))) == (
        -13,
        -3,
    )  # the plate is fed behind a fader at -3 dB
    cells(signed_in, sung, (hall, "a"), (hall, "b"), do="paste", level=["-1", "closed"])
    plan = stored_plan(sung)
    assert [value_in(plan, (HALL, s)) for s in "ab"] == [-1, None]


def test_every_kind_of_value_moves_by_section(signed_in, sung) -> None:
    for key, text, target, value in (
        ("return:hall:mute", "on", ReturnTarget(target="hall", param="mute"), True),
        ("return:hall:width", "50 %", ReturnTarget(target="hall", param="width"), 0.5),
        ("effect:hall:reverb:decay_s", "3", EffectTarget(target="hall", effect="reverb", param="decay_s"), 3.0),
        ("effect:hall:reverb:on", "off", EffectTarget(target="hall", effect="reverb", param="on"), False),
        ("effect:hall:tone:bands/0/hz", "400", EffectTarget(target="hall", effect="tone", param="bands/0/hz"), 400.0),
    ):
        cells(signed_in, sung, (key, "b"), do="set", value=text)
        assert value_in(stored_plan(sung), (target, "b")) == value, key
        assert f'data-move-row="{key}"' in get(signed_in, "moves:show", sung, by="return:hall").content.decode()
    cells(signed_in, sung, ("effect:hall:reverb:pre_delay", "b"), do="set", value="1/8")
    shown = get(signed_in, "moves:show", sung, by="return:plate", show="return:plate:pan").content.decode()
    assert 'data-move-row="return:plate:pan"' in shown


def test_last_words_are_thrown_in_sections_each_or_every_second(signed_in, sung) -> None:
    cells(
        signed_in, sung, (KEY, "a"), (KEY, "b"), do="throw", throw="-2", length="1/8", ramp_in="20 ms", ramp_out="1/16"
    )
    starts = [start for start, _ in thrown(sung)]
    assert starts == pytest.approx([0.5, 2.6, 5.0], abs=0.06)  # of the second phrase the second word
    assert [str(t.value) for t in stored_plan(sung).move(PLATE).throws] == ["-2.0"] * 3
    undo(signed_in, sung)
    cells(signed_in, sung, (KEY, "a"), do="throw", every="2", until="next")
    ((start, end),) = thrown(sung)
    assert (start, end) == pytest.approx((2.6, 4.0), abs=0.06)  # the section ends before the next phrase


def test_one_phrase_is_thrown_its_set_changed_and_removed(signed_in, sung) -> None:
    for phrase in (0, 1, 2):
        post(signed_in, "moves:throw-one", sung, target=KEY, phrase=str(phrase))
    first, second, third = (str(t.at) for t in stored_plan(sung).move(PLATE).throws)
    form = {"target": KEY, "value": "1", "length": "1/16", "ramp_in": "", "ramp_out": "1/8"}
    post(signed_in, "moves:change-throw", sung, at=first, reach="section", **form)
    assert [t.value for t in stored_plan(sung).move(PLATE).throws] == [1, 1, -6]
    post(signed_in, "moves:change-throw", sung, at=third, reach="one", start="3|4", **form)
    assert str(stored_plan(sung).move(PLATE).throws[-1].at) == "3|4"
    post(signed_in, "moves:change-throw", sung, at=second, do="remove", reach="one", target=KEY)
    post(signed_in, "moves:change-throw", sung, at=first, do="remove", reach="row", target=KEY)
    assert stored_plan(sung).move(PLATE) is None


def test_of_throws_only_what_was_typed_changes(signed_in, sung) -> None:
    for phrase, length in (("0", "1/4"), ("1", "1/16")):
        post(signed_in, "moves:throw-one", sung, target=KEY, phrase=phrase, length=length, ramp_out="1/16")
    first, _ = stored_plan(sung).move(PLATE).throws
    post(signed_in, "moves:change-throw", sung, target=KEY, at=str(first.at), reach="row", value="2")
    throws = stored_plan(sung).move(PLATE).throws
    assert [(t.value, str(t.length), str(t.ramp_out)) for t in throws] == [(2, "1/4", "1/16"), (2, "1/16", "1/16")]
    late = post(signed_in, "moves:change-throw", sung, target=KEY, at=str(first.at), reach="one", start="99|1")
    assert "99|1 lies behind the end of the song" in late.content.decode()


def test_gaps_are_filled_and_the_end_rings_out(signed_in, sung) -> None:
    cells(signed_in, sung, (KEY, "a"), do="fill", throw="-3", ramp_in="50 ms", ramp_out="50 ms")
    assert thrown(sung)[0] == pytest.approx((1.5, 2.15), abs=0.06)
    assert thrown(sung)[1] == pytest.approx(
        (3.0, 3.95), abs=0.06
    )  # the gap goes on in the next section, the throw does not
    undo(signed_in, sung)
    cells(signed_in, sung, (KEY, "b"), do="ring", throw="0")
    ((start, end),) = thrown(sung)
    assert start == pytest.approx(5.0, abs=0.06)
    assert end > 8


def test_points_are_set_removed_and_ridden(signed_in, sung) -> None:
    for at, value in (("2|1", "-20"), ("1|1", "-30"), ("2|1", "-12")):
        post(signed_in, "moves:change-points", sung, target=KEY, do="add", at=at, value=value)
    assert [(str(p.at), p.value) for p in stored_plan(sung).move(PLATE).points] == [("1|1", -30), ("2|1", -12)]
    post(signed_in, "moves:change-points", sung, target=KEY, do="remove", at="1|1")
    ride = [[n * 2400, -20 + min(n, 20) * 0.5] for n in range(40)]  # up by 10 dB in a second, then still
    post(signed_in, "moves:change-points", sung, target=KEY, do="ride", ride=json.dumps(ride))
    points = [(str(p.at), p.value) for p in stored_plan(sung).move(PLATE).points]
    assert points[0] == ("1|1", -20)
    assert len(points) <= 5
    assert points[-2][1] == -10
    assert points[-1] == ("2|1", -12)  # after the ride, so it stays
    post(signed_in, "moves:change-points", sung, target=KEY, do="clear")
    assert stored_plan(sung).move(PLATE) is None


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({"do": "set", "value": "loud"}, "Type a number from"),
        ({"do": "set", "value": "99"}, "Type a number from"),
        ({"do": "nudge", "value": "x"}, "Type by how many dB"),
        ({"do": "ramp", "value": "slow"}, "Type a note value such as 1/8"),
        ({"do": "ramp", "value": "1/8"}, "set a value first"),
        ({"do": "bend", "value": "40"}, "Only a ramp can be bent"),
        ({"do": "bend", "value": "much"}, "Type by how many per cent"),
        ({"do": "like", "like": "nowhere"}, "Choose the section"),
        ({"do": "swap", "like": ""}, "Choose the return to swap with"),
        ({"do": "throw", "every": "0"}, "from 1 to 32"),
        ({"do": "throw", "length": "?"}, "Type a note value"),
    ],
)
def test_what_cannot_be_is_said_in_one_sentence_and_nothing_changes(signed_in, sung, said, words) -> None:
    answer = signed_in.post(reverse("moves:change-cells", args=[sung.pk]), {"revision": 1, "cell": f"{KEY}|a", **said})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    sung.refresh_from_db()
    assert sung.head.number == 1


def test_bad_addresses_rides_and_strangers(signed_in, sung, client) -> None:
    def status(name, **said):
        return signed_in.post(reverse(f"moves:{name}", args=[sung.pk]), {"revision": 1, **said}).status_code

    assert status("change-cells", cell="send:voice:attic:level_db|a", do="set", value="1") == 404
    assert status("change-cells", cell=f"{KEY}|nowhere", do="set", value="1") == 404
    assert status("change-cells", do="set", value="1") == 422
    assert status("throw-one", target=KEY, phrase="99") == 404
    assert status("throw-one", target="send:plate:hall:level_db", phrase="0") == 422
    for ride in ("", "[]", "[[0, 1]]", "[[5, 1], [4, 1]]", "nonsense", "[[0, 1], [1]]"):
        assert status("change-points", target=KEY, do="ride", ride=ride) == 422
    assert status("change-throw", target=KEY, at="1|1", value="0", length="1/4") == 422
    other = make_song(make_user("mallory"))
    assert signed_in.get(reverse("moves:show", args=[other.pk])).status_code == 404
    assert signed_in.get(reverse("moves:measured-wet", args=[other.pk])).status_code == 404


def test_the_wet_level_of_a_section_is_measured(signed_in, sung) -> None:
    address = reverse("moves:measured-wet", args=[sung.pk])
    first, answer = (signed_in.get(address, {"section": "a"}).content.decode() for _ in range(2))
    assert "measuring" in first
    assert "LUFS" in answer
    assert "dB" in answer
    assert signed_in.get(address, {"section": "x"}).status_code == 204  # it was removed meanwhile


def test_the_screen_takes_as_many_queries_whatever_moves(signed_in, sung, django_assert_max_num_queries) -> None:
    with django_assert_max_num_queries(12):
        get(signed_in, "moves:show", sung, by="return:hall")
    with django_assert_max_num_queries(12):
        get(signed_in, "moves:show", sung, by="song")


def test_the_end_of_a_phrase_is_put_elsewhere_and_back_and_is_drawn_there(signed_in, sung) -> None:
    def brackets() -> list[str]:
        page = get(signed_in, "moves:show", sung, by="return:plate").content.decode()
        return re.findall(r'class="phrase" d="([^"]*)"', page)

    path = stored_plan(sung).track("voice").stem
    found, drawn = phrases_of(sung.pk, path, 48000), brackets()
    wanted = found[0].start_s + 0.3
    post(signed_in, "moves:move-phrase-end", sung, target=KEY, phrase="0", sample=str(round(wanted * 48000)))
    assert phrases_of(sung.pk, path, 48000)[0].end_s == pytest.approx(wanted, abs=0.006)
    assert brackets() != drawn
    post(signed_in, "moves:move-phrase-end", sung, target=KEY, phrase="0", sample="")
    assert phrases_of(sung.pk, path, 48000) == found
    assert brackets() == drawn


@pytest.mark.parametrize(
    "said",
    [{"phrase": "99"}, {"phrase": "x"}, {"sample": "soon"}, {"target": "send:plate:hall:level_db"}, {"target": "no"}],
)
def test_the_end_of_what_is_no_phrase_is_404(signed_in, sung, said) -> None:
    fields = {"target": KEY, "phrase": "0", "sample": "48000", **said}
    assert post(signed_in, "moves:move-phrase-end", sung, **fields).status_code == 404
