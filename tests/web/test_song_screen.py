"""The Song screen: new songs, what is drawn, and what each stem is like."""

import pytest
from django.urls import reverse

from hallweb.analysis.progress import _seconds_left
from hallweb.analysis.stems import analyse
from hallweb.analysis.tasks import ask_to_analyse
from hallweb.songs.models import Song, Stem
from tests.web.factories import make_song, make_user, shown, stored_plan
from tests.web.stems import listen, sound, take, upload


def test_a_new_song_has_its_tempo_and_meter_and_no_tracks(signed_in, empty_song) -> None:
    plan = stored_plan(empty_song)
    assert (plan.song.tempos[0].bpm, str(plan.song.tempos[0].beat)) == (58.0, "1/4.")
    assert (plan.song.meters[0].beats, plan.song.meters[0].unit) == (6, 8)
    page = signed_in.get(reverse("song:show", args=[empty_song.pk])).content.decode()
    assert "No stems yet" in page
    assert "Or try the demo song" in page


@pytest.mark.parametrize(
    ("fields", "sentence"),
    [
        ({"bpm": "fast"}, "Type the tempo as a number"), ({"meter": "waltz"}, "the meter as 4/4 or 6/8"),
        ({"bpm": "900"}, "Expected a number from 10 to 400"), ({"meter": "4/5"}, "Expected one of 1, 2, 4, 8"),
        ({"title": ""}, "Expected a text of 1 to 120 characters"),
    ],
)  # fmt: skip
def test_a_song_that_cannot_be_made_keeps_what_was_typed(signed_in, fields, sentence: str) -> None:
    typed = {"title": "Odd Name", "bpm": "104", "beat": "1/4", "meter": "4/4", **fields}
    response = signed_in.post(reverse("songs:new-song"), typed)
    page = response.content.decode()
    assert response.status_code == 422
    assert sentence in page
    assert f'value="{typed["title"]}"' in page
    assert not Song.objects.exists()


def reading(client, song: Song, **window: object) -> str:
    return client.get(reverse("song:reading", args=[song.pk, "voice"]), window).content.decode()


def test_a_stem_is_listened_to_in_the_background_once(signed_in, song, django_assert_max_num_queries) -> None:
    from procrastinate.contrib.django.models import ProcrastinateJob

    waiting = ProcrastinateJob.objects.filter(task_name="analyse-stem")
    assert waiting.count() == 3  # when the song was made
    assert "Waiting to be analysed" in reading(signed_in, song)
    assert waiting.count() == 3
    stem = Stem.objects.get(song=song, path="voice.wav")
    analyse(stem, 48000)
    page = reading(signed_in, song)
    assert "LUFS" in page
    assert "dBTP" in page
    assert "1 phrase" in page
    ask_to_analyse([stem], 48000)
    assert waiting.count() == 3
    with django_assert_max_num_queries(16):
        assert reading(signed_in, song) == page


def test_a_stem_that_cannot_be_listened_to_says_why(signed_in, song) -> None:
    from hallweb.songs.files import song_folder

    (song_folder(song.pk) / "voice.wav").unlink()
    listen(song)
    assert "&quot;voice.wav&quot; is missing" in reading(signed_in, song)


def test_a_track_that_was_removed_while_it_waited_is_no_fault(signed_in, song) -> None:
    assert signed_in.get(reverse("song:reading", args=[song.pk, "gone"])).status_code == 204


def test_a_fault_of_any_kind_while_listening_is_said_and_can_be_tried_again(signed_in, song, monkeypatch) -> None:
    from hallweb.analysis import stems as analysis

    def break_off(*_: object) -> None:
        raise KeyError("x")

    with monkeypatch.context() as patched:
        patched.setattr(analysis, "analysis_of", break_off)
        listen(song)
    page = reading(signed_in, song)
    assert analysis.BROKE_OFF in page
    again = signed_in.post(reverse("song:listen-again", args=[song.pk, "voice"])).content.decode()
    assert "Waiting to be analysed" in again
    listen(song)
    assert "LUFS" in reading(signed_in, song)


def test_the_drawing_zooms_and_ignores_nonsense(signed_in, song) -> None:
    listen(song)
    whole, part = reading(signed_in, song), reading(signed_in, song, **{"from": 2, "to": 3})
    assert whole != part
    assert reading(signed_in, song, **{"from": "x", "to": -4}) == whole
    page = shown(signed_in.get(reverse("song:show", args=[song.pk]), {"from": 2, "to": 4}))
    assert "bars 2 to 3" in page
    assert '<input type="hidden" name="from" value="2">' in page


def test_the_details_tell_each_section_and_the_threshold_moves(signed_in, song) -> None:
    listen(song)
    address = reverse("song:details", args=[song.pk, "voice"])
    page = signed_in.get(address, {"section": "b"}).content.decode()
    assert "Power by third octave, Refrain" in page
    assert page.count("LUFS") == 1
    assert "found between its noise floor and its loud parts" in page
    threshold = reverse("song:set-threshold", args=[song.pk, "voice"])
    moved = shown(signed_in.post(threshold, {"value": "-3"}))
    assert "from \u22123.0 dBFS up, your choice" in moved
    assert 'hx-swap-oob="innerHTML:#track-voice [data-reading]"' in moved
    assert "0 phrases" in reading(signed_in, song)
    back = signed_in.post(threshold, {"value": ""}).content.decode()
    assert "found between" in back
    assert signed_in.post(threshold, {"value": "loud"}).status_code == 422
    assert Stem.objects.get(song=song, path="voice.wav").threshold_db is None


def test_what_to_beware_of_is_told(signed_in, empty_song, tmp_path) -> None:
    import numpy as np
    import soundfile as sf

    noise = np.random.default_rng(0).standard_normal(96000)
    sf.write(tmp_path / "loud.wav", np.clip(np.stack([noise, -noise], axis=1), -1, 1), 48000)
    upload(signed_in, empty_song, "Voice.wav", (tmp_path / "loud.wav").read_bytes())
    upload(
        signed_in,
        empty_song,
        "Silence.wav",
        (sf.write(tmp_path / "s.wav", np.zeros(48000), 48000), tmp_path / "s.wav")[1].read_bytes(),
    )
    take(signed_in, empty_song)
    listen(empty_song)
    page = reading(signed_in, empty_song)
    assert "samples clipped" in page
    assert "sides against each other, correlation \u22121.0" in page
    silent = signed_in.get(reverse("song:reading", args=[empty_song.pk, "silence"])).content.decode()
    assert "silent from end to end" in silent


def test_an_estimate_of_the_tempo_is_an_estimate(signed_in, song) -> None:
    address = reverse("song:estimate-tempo", args=[song.pk])
    assert "3 stems waiting to be analysed" in signed_in.get(address).content.decode()
    listen(song)
    assert "Too little begins in the stems to tell a tempo" in signed_in.get(address).content.decode()


@pytest.mark.parametrize("name", ["show", "reading", "details", "estimate-tempo"])
def test_strangers_find_nothing_here(stranger, song, name: str) -> None:
    extra = ["voice"] if name in {"reading", "details"} else []
    assert stranger.get(reverse(f"song:{name}", args=[song.pk, *extra])).status_code == 404


@pytest.mark.parametrize(
    ("name", "extra"),
    [
        ("set-tracks", []), ("place-tracks", []), ("remove-tracks", []), ("replace-stem", []), ("add-group", []), ("set-threshold", ["voice"]),
        ("set-group", ["band"]), ("remove-group", ["band"]), ("add-section", []), ("set-section", ["a"]), ("split-section", ["a"]), ("remove-section", ["a"]),
        ("set-tempo", []), ("remove-tempo", []), ("set-meter", []), ("remove-meter", []), ("set-end", []), ("import-map", []),
    ],
)  # fmt: skip
def test_strangers_change_nothing_here(stranger, song, name: str, extra: list[str]) -> None:
    before = stored_plan(song)
    values = {"revision": 1, "track": "voice", "field": "mute", "value": "1", "name": "x", "at": "2|1", "bpm": "90"}
    assert stranger.post(reverse(f"song:{name}", args=[song.pk, *extra]), values).status_code == 404
    assert stored_plan(song) == before


def test_forty_tracks_take_as_many_queries_as_three(signed_in, django_assert_max_num_queries) -> None:
    owner = make_user("many")
    for tracks in (3, 40):
        song = make_song(owner, tracks=tracks)
        signed_in.force_login(owner)
        with django_assert_max_num_queries(18):
            assert signed_in.get(reverse("song:show", args=[song.pk])).status_code == 200


def test_stems_outlive_a_change_of_the_song_they_sound_in(signed_in, empty_song, tmp_path) -> None:
    """The first stems set the song's rate, so what is known of them is known at that rate."""
    upload(signed_in, empty_song, "Voice.wav", sound(tmp_path, rate=96000))
    take(signed_in, empty_song)
    empty_song.refresh_from_db()
    assert empty_song.sample_rate == 96000
    listen(empty_song)
    assert "LUFS" in reading(signed_in, empty_song)


def test_how_far_the_analysis_has_come_is_told_until_it_is_done(signed_in, song) -> None:
    address = reverse("song:progress", args=[song.pk])
    before = shown(signed_in.get(address))
    assert "0 of 3 stems analysed" in before
    assert "data-news" in before
    first, *others = song.stems.all()
    analyse(first, 48000)
    assert "1 of 3 stems analysed" in shown(signed_in.get(address))
    for stem in others:
        analyse(stem, 48000)
    done = shown(signed_in.get(address))
    assert "stems analysed" not in done
    assert "data-news" not in done


def test_the_time_left_follows_from_the_pace_of_the_last_analyses() -> None:
    assert _seconds_left([], 3) is None
    assert _seconds_left([100.0], 3) is None
    assert _seconds_left([100.0, 104.0, 108.0], 3) == 12.0
    assert _seconds_left([1.0, 10_000.0, 10_002.0], 2) == 4.0, "what was analysed long ago says nothing"
    assert _seconds_left([100.0, 101.0], 0) == 0.0
