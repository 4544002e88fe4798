"""The command line as a user runs it, and the package as a user installs it."""

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from wavinfo import WavInfoReader

from highhall import cli
from tests.core.plans import make_document, write_stem

PROJECT = Path(__file__).parents[2]


@pytest.fixture
def song_folder(tmp_path):
    document = make_document(bars=2)
    document["song"]["sections"] = []
    document["moves"] = []
    rng = np.random.default_rng(0)
    for track, (channels, rate) in zip(document["tracks"], [(1, 48000), (2, 48000), (1, 44100)], strict=True):
        write_stem(tmp_path / track["stem"], 0.1 * rng.standard_normal((channels, 3 * rate)), rate)
    (tmp_path / "plan.json").write_text(json.dumps(document))
    return tmp_path


def test_render_writes_all_parts_and_says_so_as_json(song_folder, capsys) -> None:
    out = song_folder / "out"
    assert cli.main(["render", str(song_folder / "plan.json"), "--out", str(out), "--json"]) == 0
    summary = json.loads(capsys.readouterr().out)
    assert summary["files"] == ["main.wav", "dry.wav", "returns/plate.wav", "returns/hall.wav", "groups/band.wav"]
    info = sf.info(out / "main.wav")
    assert (info.samplerate, info.channels, info.subtype) == (48000, 2, "PCM_24")
    assert info.frames / 48000 == pytest.approx(summary["seconds"])


def test_render_of_a_stretch_as_flac(song_folder, capsys) -> None:
    out = song_folder / "out"
    arguments = ["--from", "1|3", "--to", "2|1", "--only", "main,dry", "--format", "flac", "--tail", "0.5"]
    assert cli.main(["render", str(song_folder / "plan.json"), "--out", str(out), *arguments]) == 0
    assert [line.split()[0] for line in capsys.readouterr().out.splitlines()] == ["main.flac", "dry.flac"]
    assert sf.info(out / "main.flac").frames == 48000 + 24000


def test_a_print_says_where_it_begins_and_what_lies_in_it(song_folder, capsys) -> None:
    out = song_folder / "out"
    arguments = ["--from", "2|1", "--rate", "96000", "--only", "main,dry,returns,tracks", "--check", "--json"]
    assert cli.main(["render", str(song_folder / "plan.json"), "--out", str(out), *arguments]) == 0
    summary = json.loads(capsys.readouterr().out)
    assert {sums["cut"] for sums in summary["sums"]} == {"dry and returns", "tracks with their space"}
    for path in summary["files"]:
        info = WavInfoReader(str(out / path))
        assert info.fmt.sample_rate == 96000
        assert info.bext.time_reference == 2 * 96000  # a bar of two seconds


def test_check_accepts_a_valid_plan(song_folder, capsys) -> None:
    assert cli.main(["check", str(song_folder / "plan.json")]) == 0
    assert "a valid plan of 2 returns" in capsys.readouterr().out


def test_check_prints_each_fault_on_its_own_line(song_folder, capsys) -> None:
    document = json.loads((song_folder / "plan.json").read_text())
    document["tracks"][0]["pan"] = "left"
    document["sends"][0]["level_db"] = 99
    (song_folder / "plan.json").write_text(json.dumps(document))
    assert cli.main(["check", str(song_folder / "plan.json")]) == 1
    assert capsys.readouterr().out.splitlines() == [
        'tracks[0].pan: expected a number from -1 to 1, got "left"',
        "sends[0].level_db: expected a number from -120 to 24 dB or null, got 99",
    ]


def test_check_refuses_a_stem_that_leaves_through_a_link(song_folder, tmp_path_factory, capsys) -> None:
    outside = tmp_path_factory.mktemp("outside") / "secret.wav"
    outside.write_bytes((song_folder / "voice.wav").read_bytes())
    (song_folder / "voice.wav").unlink()
    (song_folder / "voice.wav").symlink_to(outside)
    assert cli.main(["check", str(song_folder / "plan.json")]) == 1
    assert "leaves the plan's folder" in capsys.readouterr().out


def spoil_missing(folder: Path) -> None:
    (folder / "harp.wav").unlink()


def spoil_text(folder: Path) -> None:
    (folder / "harp.wav").write_text("not sound")


def spoil_nan(folder: Path) -> None:
    write_stem(folder / "harp.wav", np.full((1, 100), np.nan))


def spoil_channels(folder: Path) -> None:
    write_stem(folder / "harp.wav", np.zeros((3, 100)))


def spoil_empty(folder: Path) -> None:
    write_stem(folder / "harp.wav", np.zeros((1, 0)))


@pytest.mark.parametrize(
    ("spoil", "text"),
    [
        (spoil_missing, "is missing"),
        (spoil_text, "cannot be read as sound"),
        (spoil_nan, "not numbers"),
        (spoil_channels, "has 3 channels"),
        (spoil_empty, "holds no samples"),
    ],
)
def test_a_stem_that_cannot_be_used_is_named_in_one_line(song_folder, capsys, spoil, text: str) -> None:
    spoil(song_folder)
    assert cli.main(["render", str(song_folder / "plan.json"), "--out", str(song_folder / "out")]) == 2
    lines = capsys.readouterr().err.splitlines()
    assert len(lines) == 1
    assert '"harp.wav"' in lines[0]
    assert text in lines[0]
    assert not (song_folder / "out").exists()


def test_flac_with_floats_is_refused(song_folder, capsys) -> None:
    arguments = ["render", str(song_folder / "plan.json"), "--out", "x", "--format", "flac", "--depth", "32f"]
    assert cli.main(arguments) == 2
    assert "flac holds whole numbers only" in capsys.readouterr().err


def test_a_missing_plan_is_one_clear_line(capsys) -> None:
    assert cli.main(["check", "nowhere.json"]) == 2
    assert capsys.readouterr().err == "nowhere.json: No such file or directory\n"


def test_times_at_120_and_of_a_dotted_beat(capsys) -> None:
    assert cli.main(["times", "--bpm", "120", "1/16", "1/8.", "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == {"1/16": 125.0, "1/8.": 375.0}
    assert cli.main(["times", "--bpm", "58", "--beat", "1/4.", "1/8."]) == 0
    assert "517.24 ms" in capsys.readouterr().out


def test_pip_install_alone_gives_the_command(tmp_path) -> None:
    environment = {**os.environ, "PIP_DISABLE_PIP_VERSION_CHECK": "1"}
    install = ["-m", "pip", "install", "--quiet", "--no-deps", "--no-build-isolation", "--target", str(tmp_path), "."]
    subprocess.run([sys.executable, *install], cwd=PROJECT, check=True, env=environment, capture_output=True)
    environment["PYTHONPATH"] = str(tmp_path)
    done = subprocess.run(
        [tmp_path / "bin" / "highhall", "times", "--bpm", "120", "1/4"],
        check=True, capture_output=True, text=True, env=environment, cwd=tmp_path,
    )  # fmt: skip
    assert "500.00 ms" in done.stdout
    assert not (tmp_path / "hallweb").exists()


HEAVY = ("numba", "scipy", "soundfile", "soxr")


@pytest.mark.parametrize(
    "arguments", [["--help"], ["times", "--bpm", "104"], ["check", "plan.json"], ["moves", "plan.json"]], ids=" ".join
)
def test_a_command_that_makes_no_sound_loads_nothing_that_does(song_folder, arguments: list[str]) -> None:
    told = f"""
import sys
from highhall.cli import main
try:
    main({arguments!r})
finally:
    print("loaded:", *(name for name in {HEAVY!r} if name in sys.modules))
"""
    answer = subprocess.run([sys.executable, "-c", told], cwd=song_folder, capture_output=True, text=True, check=False)
    assert answer.stdout.splitlines()[-1].split() == ["loaded:"], answer.stderr


@pytest.mark.parametrize("name", cli._COMMANDS)
def test_every_command_says_what_it_reads(name: str, capsys) -> None:
    with pytest.raises(SystemExit) as left:
        cli.main([name, "--help"])
    assert left.value.code == 0
    assert f"usage: highhall {name}" in capsys.readouterr().out


@pytest.fixture
def deep_folder(song_folder):
    document = json.loads((song_folder / "plan.json").read_text())
    document["song"]["sections"] = [{"id": "verse", "name": "Verse", "start": "1|1", "end": "3|1"}]
    (song_folder / "plan.json").write_text(json.dumps(document))
    return song_folder


def test_depth_says_how_far_away_every_source_is_as_a_table_and_as_json(deep_folder, capsys) -> None:
    plan = str(deep_folder / "plan.json")
    assert cli.main(["depth", plan, "--section", "verse", "--json"]) == 0
    rows = {row["source"]: row for row in json.loads(capsys.readouterr().out)}
    assert set(rows) == {"voice", "harp", "drum", "band"}
    assert set(rows["voice"]["by_return"]) == {"plate", "hall"}
    assert rows["voice"]["target_m"] is None
    assert cli.main(["depth", plan, "--measured", "--json"]) == 0
    measured = [row for row in json.loads(capsys.readouterr().out) if row["section"] == "verse"]
    assert all(row["measured"] for row in measured)
    assert measured[0]["wet_db"] == pytest.approx(rows["voice"]["wet_db"], abs=1.0)
    assert cli.main(["depth", plan]) == 0
    assert capsys.readouterr().out.splitlines()[0].startswith("voice  Verse       ")


def test_measure_says_loudness_by_section_decays_and_what_rings_on(deep_folder, capsys) -> None:
    plan = str(deep_folder / "plan.json")
    assert cli.main(["measure", plan, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    loudness = {(row["part"], row["section"]): row["lufs"] for row in found["loudness"]}
    assert {part for part, _ in loudness} == {"main", "dry", "plate", "hall"}
    assert {section for _, section in loudness} == {"verse", None}
    assert loudness["main", "verse"] > loudness["plate", "verse"]
    decays = {row["return"]: row["t30_s"]["1000"] for row in found["decay"]}
    assert decays["plate"] == pytest.approx(0.8, rel=0.1)
    assert all(row["spill_db"] >= -60 for row in found["spill"])
    assert cli.main(["measure", plan]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[0] == "Loudness"
    assert lines[1].startswith("  main: Verse ")


def test_findings_are_listed_as_text_and_as_json_and_one_is_taken(deep_folder, capsys) -> None:
    plan, out = deep_folder / "plan.json", deep_folder / "mended.json"
    document = json.loads(plan.read_text())
    document["returns"].append(
        {"id": "idle", "name": "Idle", "chain": [{"kind": "reverb", "params": {"space": "room", "decay_s": 0.5}}]}
    )
    plan.write_text(json.dumps(document))
    assert cli.main(["findings", str(plan), "--json", "--only", "unfed-return,clips"]) == 0
    (row,) = json.loads(capsys.readouterr().out)
    assert (row["id"], row["severity"], row["source"], row["return"]) == ("unfed-return//idle", 1, None, "idle")
    assert (row["from"], row["figure"], row["unit"], row["limit"]) == ("1|1", 0.0, "sends", 1.0)
    assert row["proposal"] == "Idle goes"
    assert cli.main(["findings", str(plan), "--only", "unfed-return"]) == 0
    assert capsys.readouterr().out.startswith("note: Idle is fed by nothing (0 sends)")
    assert cli.main(["findings", str(plan), "--take", row["id"], "--out", str(out)]) == 0
    assert capsys.readouterr().out == "Idle goes\n"
    assert cli.main(["findings", str(out), "--only", "unfed-return"]) == 0
    assert capsys.readouterr().out == "looked for 1 kind, found nothing\n"


@pytest.mark.parametrize(
    ("more", "sentence"),
    [
        (["--only", "loud"], 'there is no kind of finding "loud"'),
        (["--take", "unfed-return//idle"], "--take needs --out"),
        (["--take", "unfed-return//none", "--out", "mended.json"], 'there is no finding "unfed-return//none"'),
        (["--take", "clips", "--out", "plan.json"], "is the plan that is read"),
    ],
)
def test_findings_that_cannot_be_looked_for_or_taken_are_said_in_a_sentence(
    deep_folder, capsys, monkeypatch, more: list[str], sentence: str
) -> None:
    monkeypatch.chdir(deep_folder)
    assert cli.main(["findings", "plan.json", *more]) == 2
    assert sentence in capsys.readouterr().err
    assert not (deep_folder / "mended.json").exists()


def test_place_and_deepen_write_another_plan_and_say_what_they_changed(deep_folder, capsys) -> None:
    plan, out = str(deep_folder / "plan.json"), deep_folder / "placed.json"
    assert (
        cli.main(
            ["place", plan, "--source", "voice", "--distance", "4", "--section", "verse", "--out", str(out), "--json"]
        )
        == 0
    )
    told = json.loads(capsys.readouterr().out)
    assert told["placed"][0]["distance_m"] == pytest.approx(4.0, rel=0.01)
    assert {(change["target"], change["section"]) for change in told["changes"]} == {
        ("plate", "verse"),
        ("hall", "verse"),
    }
    assert cli.main(["depth", str(out), "--section", "verse", "--measured", "--json"]) == 0
    voice = json.loads(capsys.readouterr().out)[0]
    assert (voice["target_m"], voice["distance_m"]) == (4.0, pytest.approx(4.0, rel=0.06))
    deeper = deep_folder / "deeper.json"
    assert cli.main(["deepen", str(out), "--section", "verse", "--factor", "1.5", "--out", str(deeper)]) == 0
    assert capsys.readouterr().out.startswith("Verse: its spaces by +")
    assert cli.main(["place", plan, "--source", "voice", "--distance", "40", "--out", str(out)]) == 0
    assert "not farther than" in capsys.readouterr().out


def test_draft_makes_a_first_design_from_a_table_of_places(deep_folder, capsys) -> None:
    document = json.loads((deep_folder / "plan.json").read_text())
    document.update(returns=[], sends=[])
    (deep_folder / "plan.json").write_text(json.dumps(document))
    plan, out, places = str(deep_folder / "plan.json"), deep_folder / "first.json", deep_folder / "places.csv"
    places.write_text("source,place\nvoice,front\nharp,6.5\ndrum,dry\n")
    arguments = ["draft", plan, "--places", str(places), "--out", str(out)]
    assert cli.main([*arguments, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["places"] == {"voice": 2.0, "harp": 6.5, "drum": None}
    assert told["built"] == ["room", "chamber", "hall"]
    assert cli.main(arguments) == 0
    assert capsys.readouterr().out.splitlines()[-1] == "drum: dry"
    places.write_text("source,place\nvoice,outside\n")
    assert cli.main(arguments) == 2
    assert "line 2: expected front, middle, back, dry or 0.2 to 60 metres, got outside" in capsys.readouterr().err
    places.write_text("who,where\n")
    assert cli.main(arguments) == 2
    assert "the columns source, place" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["place", "PLAN", "--source", "voice", "--distance", "4", "--out", "PLAN"], "is the plan that is read"),
        (["place", "PLAN", "--source", "lute", "--distance", "4", "--out", "OUT"], 'no track or group "lute"'),
        (
            ["place", "PLAN", "--source", "voice", "--distance", "4", "--free", "barn", "--out", "OUT"],
            'no return "barn"',
        ),
        (["place", "PLAN", "--source", "voice", "--distance", "4", "--alike", "z", "--out", "OUT"], 'no section "z"'),
        (["depth", "PLAN", "--section", "z"], 'no section "z"; there are verse'),
    ],
)
def test_what_cannot_be_placed_is_said_in_one_sentence_and_nothing_is_written(
    deep_folder, capsys, arguments, words
) -> None:
    names = {"PLAN": str(deep_folder / "plan.json"), "OUT": str(deep_folder / "out.json")}
    before = sorted(deep_folder.iterdir())
    assert cli.main([names.get(argument, argument) for argument in arguments]) == 2
    error = capsys.readouterr().err.strip()
    assert words in error
    assert "\n" not in error
    assert sorted(deep_folder.iterdir()) == before
