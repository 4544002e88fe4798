"""Tempo, meters, sections and maps from files, on the Song screen."""

from pathlib import Path

import mido
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from highhall.interchange.midi import write_midi
from highhall.plan import Section, Song, Tempo
from highhall.timing import Meter, Position
from tests.core.wave_files import cues, wave_file
from tests.web.factories import stored_plan
from tests.web.stems import listen
from tests.web.test_tracks import post


def rooms(song) -> list[tuple[str, str, str]]:
    return [(s.name, str(s.start), str(s.end)) for s in stored_plan(song).song.sections]


def test_a_tempo_changes_seconds_and_keeps_sections_on_their_bars(signed_in, song) -> None:
    listen(song)
    before = rooms(song)
    page = post(signed_in, song, "set-tempo", at="1|1", old="1|1", bpm="240", beat="1/4").content.decode()
    assert "<b>240</b>" in page
    assert rooms(song) == before
    plan = stored_plan(song)
    assert plan.song.time.seconds_at(Position(3)) == 2.0
    assert plan.song.end == Position(9)  # the stems of 8 s need that many bars now
    post(signed_in, song, "set-tempo", at="3", bpm="60,5", beat="1/8", ramp="on")
    assert [(str(t.at), t.bpm, str(t.beat), t.ramp) for t in stored_plan(song).song.tempos][1] == (
        "3|1",
        60.5,
        "1/8",
        True,
    )
    post(signed_in, song, "set-tempo", at="4|2", old="3|1", bpm="61", beat="1/4")
    assert [str(t.at) for t in stored_plan(song).song.tempos] == ["1|1", "4|2"]
    post(signed_in, song, "remove-tempo", old="4|2")
    assert len(stored_plan(song).song.tempos) == 1


def test_meters_are_set_changed_and_removed(signed_in, song) -> None:
    post(signed_in, song, "set-meter", bar="3", meter="6/8")
    assert stored_plan(song).song.meters == (Meter(1, 4, 4), Meter(3, 6, 8))
    post(signed_in, song, "set-meter", bar="4", old="3", meter="12/8")
    assert stored_plan(song).song.meters == (Meter(1, 4, 4), Meter(4, 12, 8))
    post(signed_in, song, "remove-meter", old="4")
    assert stored_plan(song).song.meters == (Meter(1, 4, 4),)


def test_the_song_does_not_end_before_its_stems(signed_in, song) -> None:
    listen(song)
    post(signed_in, song, "set-end", end="12")
    assert stored_plan(song).song.end == Position(12)
    answer = post(signed_in, song, "set-end", end="3")
    assert (answer.status_code, "The stems last to bar 5; the song cannot end at 3|1." in answer.content.decode()) == (
        422,
        True,
    )
    post(signed_in, song, "set-end", end="5")
    assert stored_plan(song).song.end == Position(5)


@pytest.mark.parametrize(
    ("name", "values", "sentence"),
    [
        ("set-tempo", {"at": "2|1", "bpm": "fast", "beat": "1/4"}, "Type the tempo as a number such as 104, not &quot;fast&quot;."),
        ("set-tempo", {"at": "soon", "bpm": "90", "beat": "1/4"}, "Type a bar such as 12, or a bar and a beat such as 12|4"),
        ("set-tempo", {"at": "2|1", "bpm": "1000", "beat": "1/4"}, "Expected a number from 10 to 400"),
        ("set-tempo", {"at": "2|9", "bpm": "90", "beat": "1/4"}, "bar 2 is in 4/4, so its beats lie below 5"),
        ("set-meter", {"bar": "2", "meter": "waltz"}, "Type a meter such as 4/4 or 6/8"),
        ("set-meter", {"bar": "2|3", "meter": "3/4"}, "Type a bar such as 2, not a place inside it such as 2|3"),
        ("remove-tempo", {"old": "1|1"}, "The first tempo holds from 1|1 and stays"),
        ("remove-meter", {"old": "1"}, "The first meter holds from bar 1 and stays"),
        ("add-section", {"name": "X", "start": "2", "end": "4"}, "overlaps"), ("add-section", {"name": "", "start": "5", "end": "6"}, "Type a name"),
        ("add-section", {"name": "X", "start": "2", "end": "soon"}, "not &quot;soon&quot;"), ("set-end", {"end": ""}, "Type a bar"),
    ],
)  # fmt: skip
def test_what_time_cannot_be_is_one_sentence(signed_in, song, name: str, values, sentence: str) -> None:
    before = stored_plan(song)
    answer = post(signed_in, song, name, **values)
    assert answer.status_code == 422
    assert sentence.lower() in answer.content.decode().lower()
    assert stored_plan(song) == before


def test_sections_are_added_moved_split_renamed_and_deleted(signed_in, song) -> None:
    post(signed_in, song, "set-end", end="9")
    page = post(signed_in, song, "add-section", name="Outro", start="5", end="9").content.decode()
    assert 'name="section" value="outro"' in page  # the new one is held
    post(signed_in, song, "set-section", "a", field="end", value="2|3")
    post(signed_in, song, "set-section", "outro", field="name", value="Last")
    post(signed_in, song, "split-section", "outro", at="7")
    assert rooms(song) == [
        ("Verse", "1|1", "2|3"), ("Refrain", "2|3", "5|1"), ("Last", "5|1", "7|1"), ("Last b", "7|1", "9|1"),
    ]  # fmt: skip
    post(signed_in, song, "remove-section", "b")
    post(signed_in, song, "set-section", "a", field="place", value="2|1")
    assert rooms(song)[0] == ("Verse", "2|1", "3|3")
    for _ in range(7):
        post(signed_in, song, "history:undo", view="song")
    assert rooms(song) == [("Verse", "1|1", "3|1"), ("Refrain", "3|1", "5|1")]


def test_what_a_section_cannot_do_is_said(signed_in, song) -> None:
    for extra, values, sentence in (
        ("a", {"field": "end", "value": "5|1"}, "would leave no room for Refrain"),
        ("a", {"field": "start", "value": "x"}, "Verse: Type a bar"),
        ("b", {"field": "end", "value": "60"}, "Refrain must end after it starts and by the song"),
    ):
        answer = post(signed_in, song, "set-section", extra, **values)
        assert (answer.status_code, sentence in answer.content.decode()) == (422, True)
    assert post(signed_in, song, "split-section", "a", at="3").status_code == 422
    assert post(signed_in, song, "split-section", "a", at="").status_code == 422
    assert post(signed_in, song, "set-section", "a", field="colour", value="2").status_code == 404
    assert post(signed_in, song, "set-section", "z", field="end", value="2").status_code == 404


def take_map(client, song, name: str, content: bytes):
    return post(client, song, "import-map", file=SimpleUploadedFile(name, content))


def midi_file(folder: Path, *, bpm: float = 93.0) -> bytes:
    sections = (
        Section(id="in", name="In", start=Position(1), end=Position(2)),
        Section(id="verse", name="Verse", start=Position(2), end=Position(4)),
    )
    tempos = (Tempo(at=Position(1), bpm=bpm), Tempo(at=Position(3), bpm=120.0))
    meters = (Meter(1, 3, 4),)
    write_midi(folder / "m.mid", Song(title="m", sample_rate=48000, meters=meters, tempos=tempos, end=Position(4), sections=sections))  # fmt: skip
    return (folder / "m.mid").read_bytes()


def test_a_midi_file_gives_tempo_meter_and_sections_in_one_edit(signed_in, song, tmp_path) -> None:
    assert take_map(signed_in, song, "song map.mid", midi_file(tmp_path)).status_code == 200
    plan = stored_plan(song)
    assert [(str(t.at), t.bpm) for t in plan.song.tempos] == [("1|1", 93.0), ("3|1", 120.0)]
    assert plan.song.meters == (Meter(1, 3, 4),)
    assert rooms(song)[0] == ("In", "1|1", "2|1")
    assert song.head.label == "Map from song map.mid"


def test_sections_come_from_a_table_or_from_cue_points(signed_in, song, tmp_path) -> None:
    take_map(signed_in, song, "s.csv", b"name,start\nOne,1|1\nTwo,2|1\n")
    assert rooms(song) == [("One", "1|1", "2|1"), ("Two", "2|1", "5|1")]
    path = wave_file(tmp_path / "m.wav", *cues((0, "Start"), (96000, "Go")), seconds=3)
    take_map(signed_in, song, "mix.wav", path.read_bytes())
    assert rooms(song) == [("Start", "1|1", "2|1"), ("Go", "2|1", "5|1")]


def no_tempo(folder: Path) -> bytes:
    file = mido.MidiFile()
    file.tracks.append(mido.MidiTrack([mido.MetaMessage("marker", text="x", time=100)]))
    file.save(folder / "n.mid")
    return (folder / "n.mid").read_bytes()


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("map.mid", no_tempo, "&quot;map.mid&quot; holds no tempo; save it with its tempo map"),
        ("map.mid", lambda _: b"MThd", "&quot;map.mid&quot; cannot be read as a MIDI file"),
        ("s.csv", lambda _: b"name,start,end\nA,1|1,4|1\nB,3|1,5|1\n", "&quot;b&quot; overlaps &quot;a&quot;"),
        ("s.csv", lambda _: b"\xff\xfe", "&quot;s.csv&quot; cannot be read as a table in UTF-8"),
        ("s.csv", lambda _: b"name,start\nA,4|9\n", "Bar 4 is in 4/4"),
        ("mix.wav", lambda f: wave_file(f / "w.wav").read_bytes(), "&quot;mix.wav&quot; has no cue points"),
        ("mix.wav", lambda _: b"RIFF", "&quot;mix.wav&quot; cannot be read as sound"),
        ("notes.pdf", lambda _: b"x", "&quot;notes.pdf&quot; is none of the files that hold a map; expected .mid, .csv or .wav"),
        ("map.mid", lambda f: midi_file(f, bpm=5.0), "Expected a number from 10 to 400"),
    ],
)  # fmt: skip
def test_a_map_that_cannot_be_taken_is_one_sentence(signed_in, song, tmp_path, name, content, sentence: str) -> None:
    before = stored_plan(song)
    answer = take_map(signed_in, song, name, content(tmp_path))
    assert answer.status_code == 422
    assert sentence in answer.content.decode()
    assert stored_plan(song) == before


def test_no_file_is_no_map(signed_in, song) -> None:
    assert post(signed_in, song, "import-map").status_code == 422
