"""Working on returns: values, pictures while dragging, order, routing, starting points, groups' tone, what is measured."""

import io
import re
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from scipy.signal import oaconvolve

from hallweb.audition.spectra import lane_reading
from hallweb.songs.actions import edit_plan
from hallweb.songs.captures import sweep_for
from hallweb.songs.files import song_folder
from hallweb.songs.models import Song
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.measure.predictions import loudness_gain_db
from highhall.measure.third_octaves import ThirdOctaves
from highhall.plan.edits import set_send
from highhall.plan.starting_points import STARTING_POINTS
from highhall.render.engine import Engine
from highhall.timing import Milliseconds, NoteValue, Position
from tests.web.factories import stored_plan


def post(client, view: str, song: Song, *extra: str, **fields):
    song.refresh_from_db()
    values = {"revision": song.head.number, **fields}
    return client.post(reverse(view, args=[song.pk, *extra]), values, headers={"HX-Request": "true"})


def undo(client, song: Song):
    song.refresh_from_db()
    values = {"revision": song.head.number, "view": "returns"}
    return client.post(reverse("history:undo", args=[song.pk]), values, headers={"HX-Request": "true"})


def get(client, view: str, song: Song, *extra: str, **fields: str):
    return client.get(reverse(view, args=[song.pk, *extra]), fields, headers={"HX-Request": "true"})


@pytest.fixture
def echo_song(signed_in, song):
    post(signed_in, "returns:add-return", song, start="dotted-pair")
    return song


def echo_of(song: Song):
    return stored_plan(song).return_("dotted-pair").effect("echo")


def test_two_values_of_one_filter_are_set_as_one_edit(signed_in, song) -> None:
    post(signed_in, "returns:add-filter", song, "hall", shape="bell")
    paths = ["filter/tone/1/hz", "filter/tone/1/gain_db"]
    assert post(signed_in, "returns:set-return", song, "hall", path=paths, value=["1.2k", "-4.5 dB"]).status_code == 200
    bell = stored_plan(song).return_("hall").effect("tone").filters[1]
    assert (bell.hz, bell.gain_db) == (1200, -4.5)
    undo(signed_in, song)
    assert stored_plan(song).return_("hall").effect("tone").filters[1].hz == 1000


def test_a_preview_draws_what_would_be_and_stores_nothing(signed_in, song) -> None:
    fields = {"path": "effect/reverb/decay_s", "value": "1 s", "held": "effect/reverb/decay_s"}
    page = post(signed_in, "returns:preview-return", song, "hall", **fields).content.decode()
    assert 'data-name="time-hall"' in page
    assert "Decay 1.00 s" in page
    assert re.search(r'effectreverbdecay_s" value="1">[\d.]+ beats</data>', page)
    assert stored_plan(song).return_("hall").effect("reverb").number("decay_s") == 1.5
    song.refresh_from_db()
    assert song.head.number == 1


@pytest.mark.parametrize("value", ["nonsense", "90 s"])
def test_a_preview_of_what_cannot_be_is_refused_with_a_sentence(signed_in, song, value: str) -> None:
    answer = post(signed_in, "returns:preview-return", song, "hall", path="effect/reverb/decay_s", value=value)
    assert (answer.status_code, answer.content.decode()) == (422, "Type a number from 0.1 to 30 s.")


def test_linked_times_change_as_one_and_unlinked_ones_alone(signed_in, echo_song) -> None:
    page = post(
        signed_in, "returns:set-return", echo_song, "dotted-pair", path="effect/echo/left", value="1/8", linked="yes"
    )
    assert echo_of(echo_song).time("left") == echo_of(echo_song).time("right") == NoteValue(1, 8)
    assert 'name="linked" value="yes"' in page.content.decode()
    post(
        signed_in, "returns:set-return", echo_song, "dotted-pair", path="effect/echo/right", value="300 ms", linked="no"
    )
    assert echo_of(echo_song).time("left") == NoteValue(1, 8)
    assert echo_of(echo_song).time("right") == Milliseconds(300)


def test_sides_are_swapped(signed_in, echo_song) -> None:
    left, right = echo_of(echo_song).time("left"), echo_of(echo_song).time("right")
    post(signed_in, "returns:swap-sides", echo_song, "dotted-pair", effect="echo")
    assert (echo_of(echo_song).time("left"), echo_of(echo_song).time("right")) == (right, left)
    assert post(signed_in, "returns:swap-sides", echo_song, "hall", effect="reverb").status_code == 422


@pytest.mark.parametrize("repeats", [1, 2, 5, 20])
def test_feedback_may_be_typed_as_repeats(signed_in, echo_song, repeats: int) -> None:
    page = post(
        signed_in, "returns:set-return", echo_song, "dotted-pair", path="effect/echo/repeats", value=str(repeats)
    )
    assert f'data-initial="{repeats}"' in page.content.decode()
    if repeats == 1:
        assert echo_of(echo_song).number("feedback") == 0


@pytest.mark.parametrize("typed", ["0", "many", "500"])
def test_repeats_that_cannot_be_are_said_at_the_field(signed_in, echo_song, typed: str) -> None:
    answer = post(signed_in, "returns:set-return", echo_song, "dotted-pair", path="effect/echo/repeats", value=typed)
    assert answer.status_code == 422
    assert "Type a whole number from 1 to 171." in answer.content.decode()


def test_a_return_is_duplicated_and_put_in_order(signed_in, song) -> None:
    post(signed_in, "returns:change-return", song, "plate", change="duplicate")
    assert [r.id for r in stored_plan(song).returns] == ["plate", "plate-2", "hall"]
    assert all(not send.on for send in stored_plan(song).sends_into("plate-2"))
    post(signed_in, "returns:change-return", song, "hall", change="earlier")
    assert [r.id for r in stored_plan(song).returns] == ["plate", "hall", "plate-2"]
    assert post(signed_in, "returns:change-return", song, "hall", change="explode").status_code == 404


def test_the_table_of_notes_is_that_of_every_tempo(signed_in, song) -> None:
    page = get(signed_in, "returns:strip", song, "hall", drawer="times").content.decode()
    assert "120.0 quarters a minute" in page
    for note, ms in (("1/8.", "375.0"), ("1/4T", "333.3"), ("1/64", "31.2")):
        assert f'"value": "{note}"' in page
        assert f'"value": "{ms} ms"' in page


def test_a_decay_that_fits_is_offered_and_can_be_taken(signed_in, song) -> None:
    page = get(signed_in, "returns:strip", song, "hall", drawer="fits").content.decode()
    assert "by the next backbeat" in page
    assert '"path": "effect/reverb/decay_s"' in page
    no_space = get(signed_in, "returns:strip", song, "plate", drawer="fits")
    assert no_space.status_code == 200


def test_a_return_feeds_another_until_that_would_be_a_loop(signed_in, echo_song) -> None:
    post(signed_in, "returns:feed-on", echo_song, "dotted-pair", to="hall")
    send = stored_plan(echo_song).send("dotted-pair", "hall")
    assert send is not None
    assert send.level_db == -12
    post(signed_in, "returns:feed-on", echo_song, "dotted-pair", to="hall", value="-6.5")
    assert stored_plan(echo_song).send("dotted-pair", "hall").level_db == -6.5
    page = get(signed_in, "returns:strip", echo_song, "hall", drawer="onward").content.decode()
    assert "Dotted pair feeds hall: that would be a loop" in page
    refused = post(signed_in, "returns:feed-on", echo_song, "hall", to="dotted-pair")
    assert refused.status_code == 422
    assert (
        "hall cannot feed Dotted pair, since Dotted pair feeds hall: that would be a loop." in refused.content.decode()
    )
    post(signed_in, "returns:feed-on", echo_song, "dotted-pair", to="hall", change="remove")
    assert stored_plan(echo_song).send("dotted-pair", "hall") is None


@pytest.mark.parametrize("start", ["nave", "worn-machine", "many-hands"])
def test_a_starting_point_is_tried_in_place_as_loud_as_it_was(signed_in, song, start: str) -> None:
    before = stored_plan(song).return_("hall")
    post(signed_in, "returns:try-start", song, "hall", start=start)
    plan = stored_plan(song)
    after = plan.return_("hall")
    assert after.chain[0].params == next(p for p in STARTING_POINTS if p.id == start).effect.params
    assert after.chain[1:] == before.chain[1:]
    heard = [r.level_db + loudness_gain_db(r, plan.song, Position(1)) for r in (before, after)]
    assert heard[1] == pytest.approx(heard[0], abs=0.06)


def test_the_tone_of_a_group_is_added_set_drawn_and_removed(signed_in, song) -> None:
    page = post(signed_in, "returns:add-filter", song, "band", shape="low_cut").content.decode()
    assert "filter/band/1/hz" in page
    post(signed_in, "returns:set-group", song, "band", path="filter/band/1/hz", value="90")
    assert [(b.shape, b.hz) for b in stored_plan(song).group("band").tone] == [("high_cut", 9000), ("low_cut", 90)]
    drawn = post(signed_in, "returns:preview-group", song, "band", path="filter/band/1/hz", value="120")
    assert "Low cut 120 Hz" in drawn.content.decode()
    assert 'data-field="field-band-filterband1hz" value="120"' in drawn.content.decode()
    wrong = post(signed_in, "returns:set-group", song, "band", path="filter/band/1/hz", value="high")
    assert wrong.status_code == 422
    assert "Type a number from 10 to 20000 Hz." in wrong.content.decode()
    post(signed_in, "returns:remove-filter", song, "band", filter="band/0")
    assert [b.shape for b in stored_plan(song).group("band").tone] == ["low_cut"]
    assert post(signed_in, "returns:set-group", song, "band", path="band/other/0/hz", value="90").status_code == 404


def test_a_shipped_response_sounds_and_its_answer_is_drawn(signed_in, song) -> None:
    page = post(signed_in, "returns:add-return", song, start="ir:responses/stairwell.flac").content.decode()
    assert 'value="responses/stairwell.flac" selected' in page
    assert (song_folder(song.pk) / "responses" / "stairwell.flac").is_file()
    song.refresh_from_db()
    edit_plan(song.pk, song.head.number, "Feed it", lambda plan: set_send(plan, "voice", "stairwell", level_db=-6.0))
    manifest = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()
    lane = next(lane for lane in manifest["lanes"] if lane["id"] == "stairwell")
    url = lane["url"].replace("INDEX", "0").replace("KEY", lane["keys"][0])
    sound, _ = sf.read(io.BytesIO(signed_in.get(url).content))
    assert np.abs(sound).max() > 1e-4
    assert "measured-hit" in get(signed_in, "returns:hit", song, "stairwell").content.decode()


def wav(samples: np.ndarray) -> bytes:
    file = io.BytesIO()
    sf.write(file, samples, 48000, format="WAV", subtype="FLOAT")
    return file.getvalue()


def test_a_response_is_brought_in_once_and_makes_a_return(signed_in, song) -> None:
    decay = (np.random.default_rng(1).standard_normal(24000) * np.exp(-np.arange(24000) / 4000)).astype(np.float32)
    content = wav(decay / 4)  # once: a float WAV says when it was written
    for expected in ("My room", "My room 2"):
        file = SimpleUploadedFile("My room.wav", content)
        assert post(signed_in, "returns:add-response", song, file=file).status_code == 200
        assert stored_plan(song).returns[-1].name == expected
    assert song.responses.count() == 1
    assert {s.value("ir") for r in stored_plan(song).returns for s in r.chain if s.kind == "impulse"} == {
        "responses/my-room.wav"
    }


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("room.txt", b"text", "is not a kind of sound file"),
        ("room.wav", b"no sound", "room.wav"),
        ("room.wav", wav(np.zeros(100)), "is silent"),
        ("room.wav", wav(np.ones((100, 3))), "has 3 channels"),
    ],
)
def test_what_is_no_response_is_refused_and_leaves_nothing(
    signed_in, song, name: str, content: bytes, words: str
) -> None:
    answer = post(signed_in, "returns:add-response", song, file=SimpleUploadedFile(name, content))
    assert answer.status_code == 422
    assert words in answer.content.decode()
    folder: Path = song_folder(song.pk) / "responses"
    assert not list(folder.glob("*")) if folder.exists() else True
    assert song.responses.count() == 0


def test_a_duck_listens_to_the_loudest_feed_and_may_listen_to_another(signed_in, song) -> None:
    post(signed_in, "returns:add-effect", song, "hall", start="duck")
    assert stored_plan(song).return_("hall").effect("duck").value("key") == "band"
    post(signed_in, "returns:set-return", song, "hall", path="effect/duck/key", value="drum")
    assert stored_plan(song).return_("hall").effect("duck").value("key") == "drum"
    assert (
        post(signed_in, "returns:set-return", song, "hall", path="effect/duck/key", value="nobody").status_code == 422
    )


def test_the_measured_spectrum_is_that_of_the_rendered_lane(signed_in, song) -> None:
    plan = stored_plan(song)
    start, stop = 192000, 384000  # the second section
    stems = open_stems(song_sounds(song.pk), 48000)
    engine = Engine(plan, stems)
    blocks = [engine.advance(48000).returns["hall"] for _ in range(8)]
    thirds = ThirdOctaves(48000)
    thirds.add(np.ascontiguousarray(np.concatenate(blocks, axis=1)[:, start:stop]))
    expected = thirds.finish().mean(axis=0)
    asked = get(signed_in, "returns:spectrum", song, "hall", section="b").content.decode()
    assert "measuring it" in asked
    reading = lane_reading(song.pk, song.head, "hall", start, stop, 48000)
    np.testing.assert_allclose(10 * np.log10(reading.bands[4:]), 10 * np.log10(expected[4:]), atol=0.05)
    page = get(signed_in, "returns:spectrum", song, "hall", section="b").content.decode()
    assert "measured in Refrain" in page
    assert f"{10 * np.log10(expected.max()):.1f}".replace("-", "\N{MINUS SIGN}") in page


def measured(client, song, key, section):
    """Return the measured spectrum of a return, once it is there."""
    answers = [get(client, "returns:spectrum", song, key, section=section).content.decode() for _ in range(2)]
    assert "measuring it" not in answers[-1]
    return answers[-1]


def test_feeds_that_add_up_in_the_low_mids_are_shaded(signed_in, song) -> None:
    from hallweb.analysis.stems import analyse

    for stem in song.stems.all():
        analyse(stem, 48000)

    def feed_drum(plan):
        return set_send(plan, "drum", "hall", level_db=-6.0)

    edit_plan(song.pk, song.head.number, "Feed it", feed_drum)
    page = measured(signed_in, song, "hall", "a")
    assert 'class="build-up"' in page  # like noise at -16, -14, -20 and -12 dB: 3.4 dB over the loudest
    assert re.search(r"4 feeds add 3\.[4-9] dB at \d+ Hz", page)  # in the worst of the bands
    assert 'class="build-up"' not in measured(signed_in, song, "plate", "b")


def test_a_return_is_heard_without_its_tone_and_the_plan_stays(signed_in, song) -> None:
    url = reverse("audition:manifest", args=[song.pk])
    with_tone, without = signed_in.get(url).json(), signed_in.get(url, {"plain": "hall"}).json()
    changed = [a["id"] for a, b in zip(with_tone["lanes"], without["lanes"], strict=True) if a["keys"] != b["keys"]]
    assert changed == ["hall"]
    key = without["lanes"][2]["keys"][0]
    segment = without["lanes"][2]["url"].replace("INDEX", "0").replace("KEY", key)
    answer = signed_in.get(segment)
    assert answer.status_code == 200
    assert answer.content
    song.refresh_from_db()
    assert song.head.number == 1


def recorded(seconds: int, *, rate: int = 48000) -> bytes:
    """The recording of a sweep in a room that decays in 0.5 s, as a file."""
    sweep = sweep_for(Song(sample_rate=rate), seconds)
    time = np.arange(rate) / rate
    room = 0.3 * np.random.default_rng(2).standard_normal(rate) * 10 ** (-6 * time)
    room[0] = 1.0
    heard = oaconvolve(sweep.samples(), room)
    file = io.BytesIO()
    sf.write(file, 0.4 * heard / np.abs(heard).max(), rate, format="WAV", subtype="PCM_24")
    return file.getvalue()


def test_a_room_is_captured_from_a_downloaded_sweep_and_becomes_a_return(signed_in, song) -> None:
    sweep = signed_in.get(reverse("returns:sweep", args=[song.pk]), {"seconds": "4"})
    samples, rate = sf.read(io.BytesIO(sweep.content))
    np.testing.assert_allclose(samples, sweep_for(song, 4).samples(), atol=2e-7)
    assert rate == song.sample_rate
    file = SimpleUploadedFile("Stone stair.wav", recorded(4))
    answer = post(signed_in, "returns:capture", song, file=file, seconds="4", kept="1").content.decode()
    told = " ".join(answer.split())
    assert "Stone stair is captured: it decays in 0.5" in told
    assert "its noise lies at" in told
    path = song.responses.get().path
    post(signed_in, "returns:use-response", song, path=path)
    made = stored_plan(song).returns[-1]
    assert (made.name, made.chain[0].response) == ("Stone stair", path)


def test_responses_are_listed_with_their_decay_and_shipped_ones_become_returns(signed_in, song) -> None:
    page = get(signed_in, "returns:show", song, panel="responses").content.decode()
    assert "Timber hall" in page
    assert page.count("(T30)") == 3
    post(signed_in, "returns:use-response", song, path="responses/timber-hall.flac")
    assert stored_plan(song).returns[-1].name == "Timber hall"
    assert post(signed_in, "returns:use-response", song, path="../secret").status_code == 404


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"seconds": "8"}, "expected the whole sweep"),
        ({"seconds": "4", "rate": 44100}, "expected the sweep&#x27;s rate"),
        ({"seconds": "4", "content": b"no sound"}, "take.wav"),
    ],
)
def test_what_is_no_recording_of_the_sweep_is_refused_and_nothing_is_kept(signed_in, song, fields, says) -> None:
    content = fields.pop("content", None) or recorded(4, rate=fields.pop("rate", 48000))
    file = SimpleUploadedFile("take.wav", content)
    answer = post(signed_in, "returns:capture", song, file=file, kept="1", **fields)
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert not song.responses.exists()
    nothing = post(signed_in, "returns:capture", song, kept="1", seconds="4")
    assert "Choose the recording" in nothing.content.decode()
    assert signed_in.get(reverse("returns:sweep", args=[song.pk]), {"seconds": "5"}).status_code == 404
