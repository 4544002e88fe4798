"""Every screen: success, refusal, a stranger's 404, and how many queries it takes."""

import json

import numpy as np
import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from hallweb.songs.actions import edit_plan
from hallweb.songs.models import Song
from highhall.plan.edits import set_tracks
from highhall.plan.kinds import KINDS
from highhall.plan.starting_points import STARTING_POINTS
from highhall.timing import NoteValue
from tests.web.factories import make_song, shown, stored_plan

SCREENS = [
    "history:newest",
    "returns:show",
    "sends:show",
    "sends:wetness",
    "handoff:hand-off",
    "audition:manifest",
    "handoff:sheet-page",
    "handoff:sheet-file",
]


def post(client, name: str, song: Song, *extra: str, revision: int | None = None, **fields: str):
    song.refresh_from_db()
    return client.post(
        reverse(name, args=[song.pk, *extra]),
        {"revision": revision or song.head.number, **fields},
        headers={"HX-Request": "true"},
    )


@pytest.mark.parametrize("name", SCREENS)
def test_a_screen_is_shown_to_its_owner(signed_in, song, name: str) -> None:
    assert signed_in.get(reverse(name, args=[song.pk])).status_code == 200


@pytest.mark.parametrize("name", SCREENS)
def test_a_strangers_song_does_not_exist(stranger, song, name: str) -> None:
    assert stranger.get(reverse(name, args=[song.pk])).status_code == 404


@pytest.mark.parametrize("name", [*SCREENS, "songs:show"])
def test_without_signing_in_there_is_only_the_door(client, song, name: str) -> None:
    response = client.get(reverse(name, args=[] if name == "songs:show" else [song.pk]))
    assert response.status_code == 302
    assert response.url.startswith("/accounts/login/")


@pytest.mark.parametrize(
    ("name", "extra"),
    [
        ("returns:add-return", []), ("returns:set-return", ["hall"]), ("returns:change-return", ["hall"]), ("returns:add-filter", ["hall"]),
        ("returns:add-effect", ["hall"]), ("returns:change-effect", ["hall"]), ("returns:swap-sides", ["hall"]), ("returns:try-start", ["hall"]),
        ("returns:feed-on", ["hall"]), ("returns:preview-return", ["hall"]), ("returns:set-group", ["band"]), ("returns:preview-group", ["band"]),
        ("returns:save-preset", []), ("returns:apply-preset", []), ("returns:import-preset", []), ("returns:add-response", []),
        ("returns:remove-filter", ["hall"]), ("sends:set-send", []), ("sends:set-many-sends", []), ("history:undo", []), ("history:redo", []), ("handoff:print", []),
    ],
)  # fmt: skip
def test_a_stranger_can_change_nothing(stranger, song, name: str, extra: list[str]) -> None:
    fields = {
        "start": "seated-hall",
        "path": "return/level_db",
        "value": "-3",
        "shape": "bell",
        "band": "tone/0",
        "change": "remove",
        "to": "plate",
    }
    assert post(stranger, name, song, *extra, **fields).status_code == 404
    song.refresh_from_db()
    assert song.head.number == 1


@pytest.mark.parametrize("name", ["returns:show", "sends:show", "handoff:hand-off"])
def test_a_screen_takes_as_many_queries_with_40_tracks_as_with_3(signed_in, user, name: str) -> None:
    counts = []
    for tracks in (3, 40):
        song = make_song(user, tracks=tracks)
        with CaptureQueriesContext(connection) as queries:
            signed_in.get(reverse(name, args=[song.pk]))
        counts.append(len(queries))
    assert counts[0] == counts[1]
    assert counts[1] <= 10


def test_the_list_of_songs_shows_only_ones_own(signed_in, song, db) -> None:
    from tests.web.factories import make_user

    make_song(make_user("bo"), title="Somebody Else's")
    page = shown(signed_in.get(reverse("songs:show")))
    assert "<b>3</b> tracks <small>2 returns</small>" in page
    assert "Somebody Else" not in page


def test_an_empty_list_offers_the_demo_song(signed_in) -> None:
    assert "Open the demo song" in signed_in.get(reverse("songs:show")).content.decode()


def test_htmx_gets_the_sheet_and_a_browser_the_page(signed_in, song) -> None:
    address = reverse("returns:show", args=[song.pk])
    page = signed_in.get(address)
    part = signed_in.get(address, headers={"HX-Request": "true"})
    assert "<html" in page.content.decode()
    assert "<html" not in part.content.decode()
    assert 'hx-swap-oob="true"' in part.content.decode()
    assert "HX-Request" in page["Vary"]


@pytest.mark.parametrize(
    ("path", "value", "expected"),
    [
        ("effect/reverb/decay_s", "2.4 s", lambda plan: plan.return_("hall").effect("reverb").number("decay_s") == 2.4),
        (
            "effect/reverb/pre_delay",
            "1/32.",
            lambda plan: str(plan.return_("hall").effect("reverb").value("pre_delay")) == "1/32.",
        ),
        (
            "effect/reverb/pre_delay",
            "20",
            lambda plan: str(plan.return_("hall").effect("reverb").value("pre_delay")) == "20ms",
        ),
        (
            "effect/reverb/diffusion",
            "60 %",
            lambda plan: plan.return_("hall").effect("reverb").number("diffusion") == 0.6,
        ),
        ("effect/reverb/space", "plate", lambda plan: plan.return_("hall").effect("reverb").value("space") == "plate"),
        ("filter/tone/0/hz", "2.5k", lambda plan: plan.return_("hall").effect("tone").filters[0].hz == 2500),
        (
            "filter/tone/0/slope_db_oct",
            "24",
            lambda plan: plan.return_("hall").effect("tone").filters[0].slope_db_oct == 24,
        ),
        ("return/level_db", "\N{MINUS SIGN}4,5 dB", lambda plan: plan.return_("hall").level_db == -4.5),
        ("return/level_db", "off", lambda plan: plan.return_("hall").level_db is None),
        ("return/width", "80", lambda plan: plan.return_("hall").width == 0.8),
        ("return/output", "band", lambda plan: plan.return_("hall").output == "band"),
        ("return/mute", "", lambda plan: plan.return_("hall").mute),
        ("return/name", "Deep Hall", lambda plan: plan.return_("hall").name == "Deep Hall"),
    ],
)
def test_a_field_sets_its_value_and_answers_with_the_strip(signed_in, song, path: str, value: str, expected) -> None:
    response = post(signed_in, "returns:set-return", song, "hall", path=path, value=value)
    assert response.status_code == 200
    assert response["HX-Trigger"] == "plan-changed"
    assert 'id="return-hall"' in response.content.decode()
    assert expected(stored_plan(song))


@pytest.mark.parametrize(
    ("path", "value", "sentence"),
    [
        ("effect/reverb/decay_s", "long", "Type a number from 0.1 to 30 s."),
        ("effect/reverb/decay_s", "99", "Type a number from 0.1 to 30 s."),
        ("effect/reverb/pre_delay", "soon", "Type a note value such as 1/8. or 1/8T, or a time such as 375 ms."),
        ("effect/reverb/pre_delay", "1/1", "lasts 2000.0 ms at the tempo of bar 1"),
        ("return/name", " ", "Type a name of 1 to 120 characters."),
    ],
)
def test_what_cannot_be_read_stays_in_the_field_with_one_sentence(
    signed_in, song, path: str, value: str, sentence: str
) -> None:
    response = post(signed_in, "returns:set-return", song, "hall", path=path, value=value)
    page = response.content.decode()
    assert response.status_code == 422
    assert sentence in page
    assert f'value="{value}"' in page
    song.refresh_from_db()
    assert song.head.number == 1


@pytest.mark.parametrize("path", ["return/colour", "effect/gone/decay_s", "filter/tone/9/hz", "", "effect/reverb"])
def test_a_path_that_does_not_exist_is_404(signed_in, song, path: str) -> None:
    assert post(signed_in, "returns:set-return", song, "hall", path=path, value="1").status_code == 404


def test_an_edit_of_what_was_changed_meanwhile_is_refused_and_told_what_it_is_now(signed_in, song) -> None:
    post(signed_in, "returns:set-return", song, "hall", path="return/level_db", value="-3")
    response = post(signed_in, "returns:set-return", song, "hall", revision=1, path="return/level_db", value="-9")
    assert response.status_code == 409
    assert "Level was changed elsewhere meanwhile and is −3.0 dB now" in response.content.decode()
    assert response["HX-Trigger-After-Settle"] == "changed-elsewhere"
    assert response["HX-Retarget"] == "#notices"
    assert stored_plan(song).return_("hall").level_db == -3.0


def test_a_field_is_answered_before_it_is_drawn_while_the_song_plays_but_not_beside_what_others_changed(
    signed_in, song
) -> None:
    def played(revision: int, value: str):
        fields = {"revision": revision, "path": "return/width", "value": value}
        address = reverse("returns:set-return", args=[song.pk, "hall"])
        return signed_in.post(address, fields, headers={"Play-Sample": "96000"})

    first = played(1, "50")
    assert first.status_code == 204
    told = json.loads(first["HX-Trigger"])["plan-changed"]
    assert (told["later"], told["revision"]) == (reverse("returns:strip", args=[song.pk, "hall"]), 2)
    post(signed_in, "returns:set-return", song, "plate", path="return/mute", value="")
    beside = played(2, "60")
    assert beside.status_code == 200
    assert beside["HX-Trigger-After-Settle"] == "changed-elsewhere"


def test_a_return_is_added_and_removed_and_brought_back(signed_in, song) -> None:
    response = post(signed_in, "returns:add-return", song, start="seated-hall")
    assert "Seated hall" in response.content.decode()
    post(signed_in, "returns:change-return", song, "seated-hall", change="remove")
    assert len(stored_plan(song).returns) == 2
    response = post(signed_in, "history:undo", song, view="returns")
    assert "Seated hall" in response.content.decode()
    assert len(stored_plan(song).returns) == 3


@pytest.mark.parametrize("point", [p for p in STARTING_POINTS if KINDS[p.kind].makes_wet], ids=lambda p: p.id)
def test_every_starting_point_becomes_a_return_with_fields_for_all_it_has(signed_in, song, point) -> None:
    page = post(signed_in, "returns:add-return", song, start=point.id).content.decode()
    return_ = stored_plan(song).returns[-1]
    assert return_.name == point.name
    assert return_.is_wet
    assert f'aria-label="{point.name}"' in page
    effect = return_.chain[0]
    for parameter in effect.table.parameters:
        assert parameter is effect.table.filters or f"effect/{effect.id}/{parameter.name}" in page


def test_what_to_start_with_has_to_be_one_of_the_list(signed_in, song) -> None:
    response = post(signed_in, "returns:add-return", song, start="lost")
    assert response.status_code == 422
    assert "Choose what to start with" in response.content.decode()


@pytest.mark.parametrize(
    ("start", "path", "typed", "value"),
    [
        ("dotted-pair", "effect/echo/left", "1/8T", NoteValue(1, 8, "T")), ("dotted-pair", "effect/echo/feedback", "45 %", 0.45),
        ("dotted-pair", "effect/echo/low_cut_hz", "off", None), ("dotted-pair", "effect/echo/input", "mono", "mono"),
        ("many-hands", "effect/chorus/voices", "3", 3), ("many-hands", "effect/chorus/rate", "1/2", NoteValue(1, 2)),
        ("double", "effect/doubler/left_cents", "-9", -9.0),
    ],
)  # fmt: skip
def test_values_of_other_steps_are_typed(signed_in, song, start: str, path: str, typed: str, value: object) -> None:
    post(signed_in, "returns:add-return", song, start=start)
    added = stored_plan(song).returns[-1].id
    assert post(signed_in, "returns:set-return", song, added, path=path, value=typed).status_code == 200
    _, effect, name = path.split("/")
    assert stored_plan(song).return_(added).effect(effect).value(name) == value


@pytest.mark.parametrize(
    ("path", "typed"), [("effect/chorus/voices", "2.5"), ("effect/chorus/rate", "1/5"), ("effect/chorus/mix", "200 %")]
)
def test_what_a_step_cannot_take_is_said_at_its_field(signed_in, song, path: str, typed: str) -> None:
    post(signed_in, "returns:add-return", song, start="many-hands")
    response = post(signed_in, "returns:set-return", song, "many-hands", path=path, value=typed)
    assert response.status_code == 422
    assert "Type a" in response.content.decode()


def test_filters_are_added_and_removed(signed_in, song) -> None:
    post(signed_in, "returns:add-filter", song, "plate", shape="bell")
    assert [b.shape for b in stored_plan(song).return_("plate").effect("tone").filters] == ["bell"]
    post(signed_in, "returns:remove-filter", song, "plate", filter="tone/0")
    assert stored_plan(song).return_("plate").effect("tone").filters == ()


def test_every_space_is_taken(signed_in, song) -> None:
    response = post(signed_in, "returns:set-return", song, "hall", path="effect/reverb/space", value="cathedral")
    assert response.status_code == 200
    assert stored_plan(song).return_("hall").effect("reverb").value("space") == "cathedral"


def send(client, song, field: str, value: str = "", section: str = "", source: str = "voice", target: str = "plate"):
    return post(client, "sends:set-send", song, source=source, target=target, field=field, value=value, section=section)


def test_a_send_is_made_set_switched_and_removed(signed_in, song) -> None:
    assert send(signed_in, song, "add", source="harp").status_code == 200
    send(signed_in, song, "level", "-12.5", source="harp")
    send(signed_in, song, "send_point", source="harp")
    send(signed_in, song, "on", source="harp")
    made = stored_plan(song).send("harp", "plate")
    assert (made.level_db, made.send_point, made.on) == (-12.5, "pre", False)
    send(signed_in, song, "level", "", source="harp")
    assert stored_plan(song).send("harp", "plate") is None


def test_a_level_in_a_section_holds_there_only_and_can_be_cleared(signed_in, song) -> None:
    send(signed_in, song, "level", "-3", section="b")
    plan = stored_plan(song)
    assert plan.send("voice", "plate").level_db == -10.0
    assert [(v.section, v.value) for m in plan.moves if m.target.target == "plate" for v in m.sections] == [("b", -3.0)]
    page = signed_in.get(reverse("sends:show", args=[song.pk]), {"section": "b"}).content.decode()
    assert 'value="\N{MINUS SIGN}3.0"' in page
    send(signed_in, song, "level", "", section="b")
    assert not [m for m in stored_plan(song).moves if m.target.target == "plate"]


def test_a_level_that_cannot_be_read_is_refused_by_name(signed_in, song) -> None:
    response = send(signed_in, song, "level", "loud")
    assert response.status_code == 422
    assert "voice to plate: Type a number from \N{MINUS SIGN}120 to 24 dB." in response.content.decode()


@pytest.mark.parametrize(
    "fields", [{"source": "nobody"}, {"target": "nowhere"}, {"section": "z"}, {"field": "colour"}], ids=str
)
def test_a_send_that_does_not_exist_is_404(signed_in, song, fields: dict[str, str]) -> None:
    assert (
        post(
            signed_in, "sends:set-send", song, **{"source": "voice", "target": "plate", "field": "on", **fields}
        ).status_code
        == 404
    )


def wet_column(client, song, **said):
    return client.get(reverse("sends:wetness", args=[song.pk]), said).content.decode()


def test_the_wet_column_asks_again_until_the_stems_are_known(signed_in, song, monkeypatch) -> None:
    with monkeypatch.context() as early:
        early.setattr("hallweb.audition.wetness.ready_model", lambda *_: None)
        page = wet_column(signed_in, song, section="a")
    assert "data-news" in page
    assert "wet-voice" not in page
    assert 'id="wet-voice"' in wet_column(signed_in, song, section="a")


def test_the_wet_column_is_that_of_the_depth_model(signed_in, song) -> None:
    page = wet_column(signed_in, song, section="a")
    assert 'id="wet-voice"' in page
    assert " m</span>" in page
    assert "dry: feeds nothing" not in page  # harp and drum are fed through their group


def test_a_track_that_is_silent_where_the_song_is_played_is_read_where_it_is_loudest(signed_in, song) -> None:
    edit_plan(song.pk, song.head.number, "Later", lambda plan: set_tracks(plan, ["voice"], start_s=4.0))
    at_rest = wet_column(signed_in, song, at="1|1")
    assert "silent here; in Refrain" in at_rest
    chosen = signed_in.get(reverse("sends:wetness", args=[song.pk]), {"section": "a"}).content.decode()
    assert "silent here</span>" in chosen
    assert "in Verse, predicted" in chosen


def test_names_are_escaped(signed_in, song) -> None:
    post(signed_in, "returns:set-return", song, "hall", path="return/name", value="<script>alert(1)</script>")
    page = signed_in.get(reverse("returns:show", args=[song.pk])).content.decode()
    assert "<script>alert" not in page
    assert "&lt;script&gt;" in page


def test_pages_forbid_foreign_and_inline_scripts(signed_in, song) -> None:
    response = signed_in.get(reverse("returns:show", args=[song.pk]))
    assert "default-src 'self'" in response["Content-Security-Policy"]
    assert "unsafe" not in response["Content-Security-Policy"]


def test_the_demo_song_is_made_for_whoever_asks_and_its_stems_only_once(signed_in, user, monkeypatch) -> None:
    from hallweb.songs import demo
    from highhall.demo import STEM_NAMES
    from tests.core.plans import write_stem

    made = []

    def write_short_stems(folder, _progress) -> None:
        for name in STEM_NAMES:
            if not (folder / f"{name}.flac").exists():
                made.append(name)
                write_stem(folder / f"{name}.flac", np.zeros((1, 480)))

    monkeypatch.setattr(demo, "write_stems", write_short_stems)
    for _ in range(2):
        response = signed_in.post(reverse("songs:new-demo"))
        assert response.status_code == 302
    songs = Song.objects.filter(owner=user)
    assert [song.title for song in songs] == ["Lantern Over Skerry"] * 2
    assert [song.stems.count() for song in songs] == [10, 10]
    assert sorted(made) == sorted(STEM_NAMES)
