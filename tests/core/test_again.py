"""Stems that are imported again: decisions stay, what has changed is told."""

from dataclasses import replace

import numpy as np
import pytest

from highhall import cli
from highhall.interchange.again import known_by_name
from highhall.interchange.broadcast_wave import Tags
from highhall.interchange.sound_writer import SoundWriter
from highhall.plan import parse_plan, write_plan
from highhall.plan.edits import add_return, effect_of_kind, set_send, set_tracks
from tests.core.plans import make_plan

RATE = 48000


def stem(path, seconds: float = 2.0, *, seed: int = 1, start_s: float = 0.0) -> None:
    path.parent.mkdir(exist_ok=True)
    writer = SoundWriter(
        path, sample_rate=RATE, file_format="wav", depth="24", tags=Tags(time_reference=round(start_s * RATE))
    )
    writer.write((0.1 * np.random.default_rng(seed).standard_normal((2, round(seconds * RATE)))).astype(np.float32))
    writer.close()


@pytest.fixture
def song(tmp_path):
    """A plan over three stems, in which something was decided."""
    for number, name in enumerate(("voice", "harp", "drum")):
        stem(tmp_path / f"stems/{name}.wav", seed=number)
    assert run(tmp_path, "--bpm", "120") == 0
    plan = parse_plan((tmp_path / "plan.json").read_text())
    plan, return_id = add_return(plan, "Hall", (effect_of_kind("reverb", "space", {"space": "hall", "decay_s": 2.0}),))
    plan = set_send(set_tracks(plan, ["voice"], level_db=-4.0, name="Lead"), "voice", return_id, level_db=-12.0)
    (tmp_path / "plan.json").write_text(write_plan(plan))
    return tmp_path


def run(folder, *arguments: str) -> int:
    return cli.main(["import", str(folder / "stems"), "--out", str(folder / "plan.json"), *arguments])


def plan_in(folder):
    return parse_plan((folder / "plan.json").read_text())


def test_what_is_the_same_leaves_the_plan_as_it_is(song, capsys) -> None:
    before = (song / "plan.json").read_bytes()
    capsys.readouterr()
    assert run(song) == 0
    assert capsys.readouterr().out == f"{song}/plan.json: 3 the same\n"
    assert (song / "plan.json").read_bytes() == before


def test_replaced_new_and_renamed_stems_are_told_apart_and_every_decision_stays(song, capsys) -> None:
    before = plan_in(song)
    stem(song / "stems/voice.wav", seed=9)
    stem(song / "stems/shaker.wav", seed=10)
    (song / "stems/drum.wav").rename(song / "stems/drum new.wav")
    capsys.readouterr()
    assert run(song) == 0
    assert capsys.readouterr().out.splitlines()[0].endswith(": 1 replaced, 1 new, 1 renamed, 1 the same")
    after = plan_in(song)
    assert [track.name for track in after.tracks] == [*(track.name for track in before.tracks), "Shaker"]
    assert after.track("drum").stem == "stems/drum new.wav"
    assert after.track("voice") == before.track("voice")
    assert (after.returns, after.sends, after.moves) == (before.returns, before.sends, before.moves)
    capsys.readouterr()
    run(song)
    assert capsys.readouterr().out.endswith(": 4 the same\n"), "what was told once is known"


def test_longer_stems_and_moved_starts_are_told(song, capsys) -> None:
    stem(song / "stems/voice.wav", 9.0, seed=0)
    stem(song / "stems/harp.wav", seed=1, start_s=1.5)
    capsys.readouterr()
    run(song)
    out = capsys.readouterr().out
    assert '"stems/voice.wav" is 7.000 s longer than it was' in out
    assert '"stems/harp.wav" has moved from 0.000 to 1.500 s by its time stamp, and Harp with it' in out
    assert "a stem goes on after that" in out
    after = plan_in(song)
    assert after.track("harp").start_s == 1.5
    assert after.song.time.seconds_at(after.song.end) >= 9.0


def test_a_track_that_somebody_has_moved_stays_where_it_was_put(song, capsys) -> None:
    (song / "plan.json").write_text(write_plan(set_tracks(plan_in(song), ["harp"], start_s=0.25)))
    stem(song / "stems/harp.wav", seed=1, start_s=1.5)
    capsys.readouterr()
    run(song)
    assert "Harp stays at 0.250 s, where it was put" in capsys.readouterr().out
    assert plan_in(song).track("harp").start_s == 0.25


def test_of_a_stem_that_is_gone_the_track_stays_and_that_is_said(song, capsys) -> None:
    (song / "stems/drum.wav").unlink()
    capsys.readouterr()
    run(song)
    assert '"stems/drum.wav" is gone; its track stays' in capsys.readouterr().out
    assert len(plan_in(song).tracks) == 3


def test_a_stem_that_is_no_sound_leaves_the_plan_as_it_was(song, capsys) -> None:
    before = (song / "plan.json").read_bytes()
    (song / "stems/voice.wav").write_bytes(b"no sound")
    assert run(song) == 2
    assert (song / "plan.json").read_bytes() == before


def test_without_a_time_a_new_plan_is_refused_and_with_one_an_old_plan(song, capsys) -> None:
    assert run(song, "--bpm", "100") == 2
    assert "leave --bpm and --midi out to import its stems again" in capsys.readouterr().err
    assert cli.main(["import", str(song / "stems"), "--out", str(song / "other.json")]) == 2
    assert "is a new plan: give --bpm or --midi for its time" in capsys.readouterr().err


def test_a_record_that_cannot_be_read_is_refused_in_a_sentence(song, capsys) -> None:
    (song / ".plan.json.stems").write_text("[]")
    assert run(song) == 2
    assert "cannot be read; remove it" in capsys.readouterr().err


def test_stamps_that_have_all_moved_alike_move_nothing(song, capsys) -> None:
    before = plan_in(song)
    for number, name in enumerate(("voice", "harp", "drum")):
        stem(song / f"stems/{name}.wav", seed=number + 20, start_s=3600.0)
    capsys.readouterr()
    run(song)
    assert capsys.readouterr().out.splitlines() == [f"{song}/plan.json: 3 replaced"]
    assert plan_in(song) == before


def test_a_new_stem_starts_where_its_stamp_says_beside_the_others(song) -> None:
    for number, name in enumerate(("voice", "harp", "drum")):
        stem(song / f"stems/{name}.wav", seed=number, start_s=3600.0)
    run(song)
    stem(song / "stems/late.wav", seed=7, start_s=3604.5)
    run(song)
    assert [track.start_s for track in plan_in(song).tracks] == [0, 0, 0, 4.5]


@pytest.mark.parametrize(
    ("arrived", "meant"),
    [
        (["stems/2/Voice.wav"], {"stems/voice.wav": "stems/2/Voice.wav"}),
        (["other/voice.FLAC"], {"stems/voice.wav": "other/voice.FLAC"}),
        (["stems/voice.wav", "stems/kick.wav"], {}),
        (["a/guitar.wav"], {}),
        (["a/harp.wav", "b/harp.wav"], {"stems/harp.flac": "a/harp.wav"}),
        (["a/bell.wav"], {"stems/bell.wav": "a/bell.wav"}),
    ],
    ids=["name", "other-format", "itself-and-unknown", "meant-for-two", "twice", "name-before-format"],
)
def test_a_stem_is_known_by_its_file_name(arrived, meant) -> None:
    stems = ["stems/voice.wav", "stems/harp.flac", "x/guitar.wav", "y/guitar.wav", "stems/bell.wav", "stems/bell.mp3"]
    plan = make_plan()
    tracks = tuple(replace(plan.tracks[0], id=f"t{number}", stem=path) for number, path in enumerate(stems))
    assert known_by_name(replace(plan, tracks=tracks), arrived) == meant
