"""From a folder of stems, a MIDI file and a table to a plan."""

import json
from fractions import Fraction
from pathlib import Path

import mido
import numpy as np
import pytest

from highhall import cli
from highhall.errors import CoreError
from highhall.interchange.audio_files import sound_facts
from highhall.interchange.broadcast_wave import time_reference_samples
from highhall.interchange.cue_points import read_cue_points
from highhall.interchange.midi import read_midi
from highhall.interchange.sections import read_sections, read_sections_csv, sections_from_markers
from highhall.interchange.stem_names import name_order, read_stem_names
from highhall.plan import parse_plan
from highhall.timing import Position
from tests.core.plans import write_stem
from tests.core.signals import make_song
from tests.core.wave_files import cues, time_stamp, wave_file


def write_midi(path: Path, *messages: tuple[int, mido.MetaMessage], ticks: int = 480) -> Path:
    """Write meta messages at absolute ticks."""
    track, before = mido.MidiTrack(), 0
    for at, message in messages:
        track.append(message.copy(time=at - before))
        before = at
    file = mido.MidiFile(ticks_per_beat=ticks)
    file.tracks.append(track)
    file.save(path)
    return path


def tempo(bpm: float) -> mido.MetaMessage:
    return mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm))


def meter(beats: int, unit: int) -> mido.MetaMessage:
    return mido.MetaMessage("time_signature", numerator=beats, denominator=unit)


def marker(text: str) -> mido.MetaMessage:
    return mido.MetaMessage("marker", text=text)


def test_a_midi_file_gives_tempos_meters_and_markers(tmp_path) -> None:
    path = write_midi(
        tmp_path / "map.mid",
        (0, meter(4, 4)), (0, tempo(100)), (0, marker("Intro")), (4 * 1920, meter(3, 4)), (4 * 1920, tempo(80)),
        (4 * 1920, marker("Waltz")), (4 * 1920 + 3 * 1440, mido.MetaMessage("end_of_track")),
    )  # fmt: skip
    song_map = read_midi(path)
    assert [(m.bar, m.beats, m.unit) for m in song_map.meters] == [(1, 4, 4), (5, 3, 4)]
    assert [(str(t.at), t.bpm) for t in song_map.tempos] == [("1|1", 100.0), ("5|1", 80.0)]
    assert [(str(at), text) for at, text in song_map.markers] == [("1|1", "Intro"), ("5|1", "Waltz")]
    assert song_map.end == Position(8)


def test_a_compound_meter_counts_in_dotted_quarters(tmp_path) -> None:
    path = write_midi(tmp_path / "map.mid", (0, meter(6, 8)), (0, tempo(87)), (720, tempo(90)))
    first, second = read_midi(path).tempos
    assert (first.bpm, str(first.beat)) == (58.0, "1/4.")
    assert (str(second.at), second.bpm) == ("1|4", 60.0)


def test_times_through_a_midi_map_are_those_of_the_file(tmp_path) -> None:
    path = write_midi(tmp_path / "map.mid", (0, tempo(120)), (960, tempo(60)), (1920, tempo(97.3)), (9600, marker("x")))
    from highhall.plan import Song

    song_map = read_midi(path)
    song = Song(title="x", sample_rate=48000, meters=song_map.meters, tempos=song_map.tempos, end=song_map.end)
    seconds = song.time.seconds_at(song_map.markers[0][0])
    assert seconds == pytest.approx(mido.MidiFile(path).length, abs=1e-4)


def test_without_a_meter_it_is_in_4_4_and_without_a_tempo_it_is_refused(tmp_path) -> None:
    assert read_midi(write_midi(tmp_path / "map.mid", (0, tempo(99)), (4000, marker("late")))).meters[0].beats == 4
    with pytest.raises(CoreError, match=r'"map\.mid" holds no tempo; save it with its tempo map'):
        read_midi(write_midi(tmp_path / "map.mid", (4000, marker("late"))))


def test_a_meter_that_changes_inside_a_bar_is_refused_with_the_bar(tmp_path) -> None:
    path = write_midi(tmp_path / "map.mid", (0, tempo(120)), (0, meter(4, 4)), (1920 + 480, meter(3, 4)))
    with pytest.raises(CoreError, match="changes its meter inside bar 2"):
        read_midi(path)


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"MThd",
        b"not midi at all",
        b"MThd\x00\x00\x00\x06\x00\x01\x00\x01\xe7\x28MTrk\x00\x00\x00\x04\x00\xff\x2f\x00",
    ],
)
def test_what_is_no_midi_file_is_refused_in_one_line(tmp_path, content: bytes) -> None:
    (tmp_path / "map.mid").write_bytes(content)
    with pytest.raises(CoreError, match=r'"map\.mid"') as refusal:
        read_midi(tmp_path / "map.mid")
    assert "\n" not in str(refusal.value)


def test_markers_become_sections_up_to_the_next_and_the_end() -> None:
    markers = [
        (Position(1), "Intro"),
        (Position(5), "Verse"),
        (Position(5), "Verse"),
        (Position(9, Fraction(3)), "Out"),
        (Position(40), "x"),
    ]
    sections = sections_from_markers(markers, Position(13))
    assert [(s.id, str(s.start), str(s.end)) for s in sections] == [
        ("intro", "1|1", "5|1"),
        ("verse", "5|1", "9|3"),
        ("out", "9|3", "13|1"),
    ]


def test_sections_from_a_table(tmp_path) -> None:
    (tmp_path / "s.csv").write_text("name,start,end\nVerse,1|1,\nVerse,5|1,8|1\nOutro,9|1,\n")
    sections = read_sections_csv(tmp_path / "s.csv", Position(12))
    assert [(s.id, s.name, str(s.start), str(s.end)) for s in sections] == [
        ("verse", "Verse", "1|1", "5|1"), ("verse-2", "Verse", "5|1", "8|1"), ("outro", "Outro", "9|1", "12|1"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "columns name, start, end"), ("title,bar\na,1\n", "columns name, start, end"),
        ("name,start\nA,one\n", r'line 2: expected a position "BAR\|BEAT"'), ("name,start\nA,5|1\nB,1|1\n", "must stand in order"),
    ],
)  # fmt: skip
def test_a_table_that_cannot_be_read_names_the_line(tmp_path, text: str, message: str) -> None:
    (tmp_path / "s.csv").write_text(text)
    with pytest.raises(CoreError, match=message):
        read_sections_csv(tmp_path / "s.csv", Position(12))


@pytest.mark.parametrize(
    ("files", "expected"),
    [
        (["Lantern_01 lead vox.wav", "Lantern_02 KickIn.wav", "Lantern_03_bass_DI.wav"], [("Lead Vox", 0, "Voices"), ("KickIn", 0, "Drums"), ("bass DI", 0, "Bass")]),
        (["Piano L.wav", "Piano R.wav", "Pad.wav"], [("Piano L", -1, "Keys"), ("Piano R", 1, "Keys"), ("Pad", 0, "Keys")]),
        (["Guitar L.wav", "Fiddle.wav"], [("Guitar L", 0, "Guitars"), ("Fiddle", 0, "Strings")]),
        (["something else.flac"], [("Something Else", 0, None)]),
        (["01.wav", "02.wav"], [("01", 0, None), ("02", 0, None)]),
    ],
)  # fmt: skip
def test_stem_names_give_track_names_sides_and_groups(files, expected) -> None:
    assert [(n.name, n.pan, n.group) for n in read_stem_names(files)] == expected


def test_files_are_ordered_as_people_count() -> None:
    names = ["10 room.wav", "2 Hat.wav", "²nd.wav", "1 kick.wav", "٣.wav", "Bass.wav", "bass 2.wav"]
    ordered = ["1 kick.wav", "2 Hat.wav", "10 room.wav", "bass 2.wav", "Bass.wav", "²nd.wav", "٣.wav"]
    assert sorted(names, key=name_order) == ordered


def test_the_users_earlier_groups_come_before_the_common_words() -> None:
    earlier = {"Low Whistle": "Pipes", "Tin Whistle": "Pipes", "Lead Vox": "Front", "Lead Fiddle": "Strings & Winds"}
    names = read_stem_names(["Whistle 2.wav", "lead vox.wav", "Lead Bass.wav", "Cello.wav"], earlier)
    assert [n.group for n in names] == ["Pipes", "Front", "Bass", "Strings"]
    leads = read_stem_names(["Gtr Lead.wav", "Lead.wav", "Lead Kazoo.wav"], {"Lead Voice": "Voices"})
    assert [n.group for n in leads] == ["Guitars", "Voices", "Voices"], "an instrument says more than its part"


def test_the_time_stamp_of_a_broadcast_wav_is_read(tmp_path) -> None:
    assert time_reference_samples(wave_file(tmp_path / "a.wav", time_stamp(172_800_000))) == 172_800_000
    write_stem(tmp_path / "b.wav", np.zeros((1, 100)))
    assert time_reference_samples(tmp_path / "b.wav") is None
    (tmp_path / "c.wav").write_bytes(b"RIFF\x00\x00\x00\x00WAVEbext\xff\xff\xff\xff")
    assert time_reference_samples(tmp_path / "c.wav") is None


def test_cue_points_become_sections_on_the_nearest_beat(tmp_path) -> None:
    points = cues((96000 * 2 + 700, "Verse ü"), (0, "Intro"), (96000 * 4 - 900, None), (24000 * 11, "Late"))
    path = wave_file(tmp_path / "mix.wav", *points, seconds=10)
    assert [(round(p.seconds, 2), p.label) for p in read_cue_points(path)] == [
        (0.0, "Intro"), (4.01, "Verse ü"), (5.5, "Late"), (7.98, "Cue 4"),
    ]  # fmt: skip
    sections = read_sections(path, make_song(bpm=120, bars=8))
    assert [(s.id, str(s.start), str(s.end)) for s in sections] == [
        ("intro", "1|1", "3|1"), ("verse", "3|1", "3|4"), ("late", "3|4", "5|1"), ("cue-4", "5|1", "9|1"),
    ]  # fmt: skip


def test_a_wav_without_cue_points_is_refused(tmp_path) -> None:
    with pytest.raises(CoreError, match=r'"a\.wav" has no cue points'):
        read_sections(wave_file(tmp_path / "a.wav"), make_song())
    with pytest.raises(CoreError, match=r'"b\.wav" has no cue points'):
        read_cue_points(wave_file(tmp_path / "b.wav", (b"cue ", bytes(4))))


@pytest.fixture
def folder(tmp_path):
    stems = tmp_path / "stems"
    stems.mkdir()
    wave_file(stems / "Take_lead vox.wav", time_stamp(48000 * 3600))
    wave_file(stems / "Take_kick.wav", time_stamp(48000 * 3600 + 24000), seconds=4.2)
    write_stem(stems / "sub" / "Take_harp.flac", 0.1 * np.ones((2, 88200)), 44100)
    (stems / "notes.txt").write_text("not sound")
    (stems / ".hidden.wav").write_bytes(b"x")
    return tmp_path


def run_import(folder: Path, *arguments: str) -> int:
    return cli.main(["import", str(folder / "stems"), "--out", str(folder / "plan.json"), *arguments])


def test_a_folder_becomes_a_plan_that_renders(folder, capsys) -> None:
    assert run_import(folder, "--bpm", "120", "--title", "Made Up") == 0
    assert "3 tracks in 3 groups, 0 sections, 3 bars" in capsys.readouterr().out
    plan = parse_plan((folder / "plan.json").read_text())
    assert (plan.song.title, plan.song.sample_rate, str(plan.song.end)) == ("Made Up", 48000, "4|1")
    assert [(t.name, t.stem, t.start_s, t.group) for t in plan.tracks] == [
        ("Harp", "stems/sub/Take_harp.flac", 0.0, "strings"),
        ("Kick", "stems/Take_kick.wav", 0.5, "drums"),
        ("Lead Vox", "stems/Take_lead vox.wav", 0.0, "voices"),
    ]
    assert cli.main(["render", str(folder / "plan.json"), "--out", str(folder / "out"), "--only", "main"]) == 0


def test_a_midi_file_gives_the_map_and_the_sections(folder) -> None:
    write_midi(folder / "map.mid", (0, tempo(100)), (0, marker("Start")), (1920, marker("Rest")))
    assert run_import(folder, "--midi", str(folder / "map.mid")) == 0
    plan = parse_plan((folder / "plan.json").read_text())
    assert [(s.name, str(s.start), str(s.end)) for s in plan.song.sections] == [
        ("Start", "1|1", "2|1"),
        ("Rest", "2|1", "3|1"),
    ]
    assert plan.song.tempos[0].bpm == pytest.approx(100)


def test_a_table_of_sections_is_taken_along(folder) -> None:
    (folder / "s.csv").write_text("name,start\nA,1|1\nB,2|1\n")
    assert run_import(folder, "--bpm", "120", "--sections", str(folder / "s.csv")) == 0
    assert [s["id"] for s in json.loads((folder / "plan.json").read_text())["song"]["sections"]] == ["a", "b"]


def break_empty(folder: Path) -> None:
    for path in (folder / "stems").rglob("*.*"):
        path.unlink()


def break_stem(folder: Path) -> None:
    (folder / "stems" / "Take_kick.wav").write_bytes(b"")


def break_channels(folder: Path) -> None:
    write_stem(folder / "stems" / "Take_kick.wav", np.zeros((4, 100)))


def test_what_has_more_channels_is_folded_down_where_that_is_asked_for(folder) -> None:
    break_channels(folder)
    assert run_import(folder, "--bpm", "120", "--channels", "fold-down") == 0
    plan = parse_plan((folder / "plan.json").read_text())
    assert "stereo/Take_kick.wav" in [t.stem for t in plan.tracks]
    assert sound_facts(folder / "stereo" / "Take_kick.wav").channels == 2


def break_folder(folder: Path) -> None:
    (folder / "stems").rename(folder / "elsewhere")


@pytest.mark.parametrize(
    ("spoil", "message"),
    [(break_empty, "holds no sound files"), (break_stem, "cannot be read as sound"), (break_channels, "has 4 channels"), (break_folder, "is not a folder")],
)  # fmt: skip
def test_a_folder_that_cannot_be_used_is_one_clear_line_and_no_plan(folder, capsys, spoil, message: str) -> None:
    spoil(folder)
    assert run_import(folder, "--bpm", "120") == 2
    lines = capsys.readouterr().err.splitlines()
    assert len(lines) == 1
    assert message in lines[0]
    assert not (folder / "plan.json").exists()


def test_a_plan_that_exists_is_not_written_over(folder, capsys) -> None:
    (folder / "plan.json").write_text("mine")
    assert run_import(folder, "--bpm", "120") == 2
    assert "exists; choose another name" in capsys.readouterr().err
    assert (folder / "plan.json").read_text() == "mine"


def test_stems_outside_of_the_plans_folder_are_refused(folder, tmp_path_factory, capsys) -> None:
    out = tmp_path_factory.mktemp("other") / "plan.json"
    assert cli.main(["import", str(folder / "stems"), "--out", str(out), "--bpm", "120"]) == 2
    assert "must lie in the plan's folder" in capsys.readouterr().err


def test_a_tempo_out_of_range_is_refused_by_path(folder, capsys) -> None:
    assert run_import(folder, "--bpm", "900") == 1
    assert "song.tempos[0].bpm: expected a number from 10 to 400" in capsys.readouterr().err
