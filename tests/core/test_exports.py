"""Files for other programs, read back: MIDI by a MIDI library, tables by a table reader, responses by the impulse effect."""

import csv
import json
from dataclasses import replace

import mido
import numpy as np
import pytest

from highhall import cli
from highhall.effects.impulse import read_response
from highhall.exports import save_responses, write_moves_csv, write_plan_midi, write_sends_csv, write_throws_csv
from highhall.exports.midi import controller_value, level_of_value
from highhall.exports.tables import clock_words
from highhall.interchange.midi import read_midi
from highhall.plan import (
    EffectTarget,
    Move,
    Plan,
    Point,
    ReturnTarget,
    SectionValue,
    SendTarget,
    Target,
    Throw,
    document_of,
    plan_from_document,
)
from highhall.plan.edits import set_effect
from highhall.plan.references import movable_parameter
from highhall.render import Engine
from highhall.render.engine import return_fader, send_fader
from highhall.timing import Milliseconds, NoteValue, Position
from tests.core.plans import make_document, make_stems, write_stem


@pytest.fixture(scope="module")
def plan() -> Plan:
    """Moves of every shape, over a tempo that ramps and a meter that changes."""
    document = make_document(bars=8)
    document["song"]["meters"] = [{"bar": 1, "beats": 4, "unit": 4}, {"bar": 5, "beats": 6, "unit": 8}]
    document["song"]["tempos"] = [{"at": "1|1", "bpm": 97.0}, {"at": "4|1", "bpm": 131.3, "ramp": True}]
    document["moves"] = [
        {
            "target": {"send": ["voice", "hall"], "param": "level_db"},
            "sections": [
                {"section": "a", "value": -30.0},
                {"section": "b", "value": -6.0, "ramp": "1/8", "ramp_side": "after", "ramp_bend": 0.5},
            ],
            "points": [{"at": "5|1", "value": -40.0}, {"at": "6|1", "value": None}, {"at": "7|1", "value": 3.0, "shape": "hold"}],
            "throws": [{"at": "2|2", "length": "1/4", "value": 0.0, "ramp_in": "20ms", "ramp_out": "1/16"}],
        },
        {"target": {"send": ["voice", "plate"], "param": "on"}, "sections": [{"section": "b", "value": False}]},
        {"target": {"return": "hall", "param": "level_db"}, "points": [{"at": "1|1", "value": -20.0}, {"at": "8|1", "value": 0.0}]},
        {"target": {"return": "plate", "step": "reverb", "param": "decay_s"}, "sections": [{"section": "a", "value": 0.4}]},
    ]  # fmt: skip
    return plan_from_document(document)


# MIDI


@pytest.fixture(scope="module")
def midi(plan, tmp_path_factory) -> mido.MidiFile:
    path = tmp_path_factory.mktemp("midi") / "plan.mid"
    write_plan_midi(path, plan)
    return mido.MidiFile(path)


def test_the_map_reads_back_and_markers_of_throws_are_no_sections(plan, midi) -> None:
    found = read_midi(midi.filename)
    assert found.meters == plan.song.meters
    assert [text for _, text in found.markers] == ["a", "b"]
    assert found.end == plan.song.end


def test_every_bar_is_where_it_is_within_a_hundredth_of_a_millisecond(plan, midi) -> None:
    tempos = [(tick, message.tempo) for tick, message in _timed(midi.tracks[0]) if message.type == "set_tempo"]
    for bar in range(1, 9):
        ticks = [round(plan.song.time.meters.whole_notes_at(Position(b)) * 3840) for b in (bar, bar + 1)]
        start, end = (_seconds_at(tempos, tick) for tick in ticks)
        exact = plan.song.time.seconds_at(Position(bar + 1)) - plan.song.time.seconds_at(Position(bar))
        assert end - start == pytest.approx(exact, abs=1e-5)


def test_a_return_is_a_track_that_says_what_its_controllers_are(midi) -> None:
    assert [track.name for track in midi.tracks[1:]] == ["plate", "hall"]
    texts = [message.text for message in midi.tracks[2] if message.type == "text"]
    assert texts[0] == "Channel 1, controllers 7 and 39: level of hall"
    assert "Channel 1, controllers 20 and 52: send from voice, pre-fader" in texts
    markers = [(tick, message.text) for tick, message in _timed(midi.tracks[2]) if message.type == "marker"]
    assert markers == [(4 * 960 + 960, "Throw voice 0.0 dB for 1/4")]


def test_controllers_follow_levels_of_returns_and_sends_within_a_tenth_of_a_decibel(plan, midi) -> None:
    checked = 0
    for track, return_ in zip(midi.tracks[1:], plan.returns, strict=True):
        faders = [(7, return_fader(plan, return_))]
        faders += [(20 + n, send_fader(plan, send)) for n, send in enumerate(plan.sends_into(return_.id))]
        for number, fader in faders:
            checked += _followed(plan, track, number, fader.curves[:2])
    assert checked > 20_000


def _followed(plan: Plan, track: mido.MidiTrack, number: int, curves) -> int:
    """Compare a controller with its curves at every tick between its first and its last event; return at how many."""
    coarse = [(tick, m.value) for tick, m in _timed(track) if m.type == "control_change" and m.control == number]
    fine = [(tick, m.value) for tick, m in _timed(track) if m.type == "control_change" and m.control == number + 32]
    assert [tick for tick, _ in coarse] == [tick for tick, _ in fine]
    ticks = np.array([tick for tick, _ in coarse])
    values = np.array([128 * high + low for (_, high), (_, low) in zip(coarse, fine, strict=True)])
    end = round(plan.song.time.meters.whole_notes_at(plan.song.end) * 3840)
    every = np.arange(0, end)
    held = values[np.searchsorted(ticks, every, side="right") - 1]
    seconds = np.linspace(0, plan.song.end_sample / 48000, 60_000)
    at = np.interp(every, plan.song.time.tempos.whole_notes_at_many(seconds) * 3840, seconds) * 48000
    gains = np.prod(
        [curve.drawn_at(at) if curve.constant is None else np.full(end, curve.constant) for curve in curves], axis=0
    )
    sounding = gains > 10 ** (-100 / 20)
    levels = np.array([level_of_value(int(value)) or -200.0 for value in held[sounding]])
    assert np.abs(levels - 20 * np.log10(gains[sounding])).max() <= 0.1
    assert (held[gains == 0] == 0).all()
    return int(sounding.sum())


def _timed(track: mido.MidiTrack):
    tick = 0
    for message in track:
        tick += message.time
        yield tick, message


def _seconds_at(tempos: list[tuple[int, int]], tick: int) -> float:
    total = 0.0
    for (start, tempo), following in zip(tempos, [*tempos[1:], (10**9, 0)], strict=True):
        total += max(min(tick, following[0]) - start, 0) * tempo / 960e6
    return total


@pytest.mark.parametrize(("gain", "value"), [(0.0, 0), (1e-6, 0), (1.0, 13653), (10 ** (24 / 20), 16383)])
def test_the_law_of_controllers(gain: float, value: int) -> None:
    assert controller_value(np.array([gain]))[0] == value


def test_a_level_comes_back_from_its_value_within_a_hundredth_of_a_decibel() -> None:
    assert level_of_value(0) is None
    for level in (-100.0, -18.3, 0.0, 6.0):
        back = level_of_value(int(controller_value(np.array([10 ** (level / 20)]))[0]))
        assert back == pytest.approx(level, abs=0.005)


# tables


def rows(path) -> list[dict[str, str]]:
    with path.open(newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


def target_of(row: dict[str, str]) -> Target:
    source, is_send, target = row["target"].partition(" to ")
    if is_send:
        return SendTarget(source=source, target=target, param=row["parameter"])
    return_id, is_effect, effect = row["target"].partition("/")
    if is_effect:
        return EffectTarget(target=return_id, effect=effect, param=row["parameter"])
    return ReturnTarget(target=return_id, param=row["parameter"])


def value_of(plan: Plan, row: dict[str, str]):
    if row["value"] in ("true", "false"):
        return row["value"] == "true"
    return None if row["value"] == "" else movable_parameter(plan, target_of(row)).read(row["value"])


def moves_from(plan: Plan, moves_path, throws_path) -> list[Move]:
    """Build the moves from the two tables alone."""
    found: dict[Target, Move] = {}
    for row in rows(moves_path):
        move = found.setdefault(target_of(row), Move(target=target_of(row)))
        value = value_of(plan, row)
        if row["section"]:
            ramp, side, bend = None, "before", 0.0
            if row["shape"] != "jump":
                _, length, side, *bent = row["shape"].split()
                ramp, bend = _length(length), float(bent[1]) if bent else 0.0
            each = SectionValue(section=row["section"], value=value, ramp=ramp, ramp_side=side, ramp_bend=bend)
            found[move.target] = replace(move, sections=(*move.sections, each))
        else:
            point = Point(at=Position.parse(row["bar|beat"]), value=value, shape=row["shape"])
            found[move.target] = replace(move, points=(*move.points, point))
    for row in rows(throws_path):
        move = found.setdefault(target_of(row), Move(target=target_of(row)))
        throw = Throw(
            at=Position.parse(row["bar|beat"]),
            length=_length(row["length"]),
            value=value_of(plan, row),
            ramp_in=_length(row["ramp_in"]),
            ramp_out=_length(row["ramp_out"]),
        )
        found[move.target] = replace(move, throws=(*move.throws, throw))
    return list(found.values())


def _length(text: str):
    if not text:
        return None
    return Milliseconds(float(text[:-2])) if text.endswith("ms") else NoteValue.parse(text)


def test_moves_and_throws_read_back_are_the_same_moves(plan, tmp_path) -> None:
    write_moves_csv(tmp_path / "moves.csv", plan)
    write_throws_csv(tmp_path / "throws.csv", plan)
    back = moves_from(plan, tmp_path / "moves.csv", tmp_path / "throws.csv")
    assert {move.target: move for move in back} == {move.target: move for move in plan.moves}


def test_tables_say_where_in_bars_seconds_and_by_the_clock(plan, tmp_path) -> None:
    write_throws_csv(tmp_path / "throws.csv", plan)
    (throw,) = rows(tmp_path / "throws.csv")
    assert (throw["target"], throw["bar|beat"], throw["unit"]) == ("voice to hall", "2|2", "dB")
    start, end = (plan.song.time.seconds_at(Position.parse(at)) for at in ("2|2", "2|3"))
    assert float(throw["seconds"]) == pytest.approx(start, abs=1e-6)
    assert throw["clock"] == f"0:00:{start:06.3f}"
    assert float(throw["length_ms"]) == pytest.approx(1000 * (end - start), abs=1e-3)


@pytest.mark.parametrize(
    ("seconds", "words"), [(0.0, "0:00:00.000"), (59.9996, "0:01:00.000"), (3725.25, "1:02:05.250")]
)
def test_the_clock_of_a_song(seconds: float, words: str) -> None:
    assert clock_words(seconds) == words


def test_sends_are_a_row_each(plan, tmp_path) -> None:
    write_sends_csv(tmp_path / "sends.csv", plan)
    found = rows(tmp_path / "sends.csv")
    assert len(found) == len(plan.sends)
    assert found[1] == {
        "source": "voice",
        "return": "hall",
        "level_db": "-16.0",
        "tap": "pre",
        "pan": "0.0",
        "on": "true",
    }


# responses


def returns(**chains) -> Plan:
    document = make_document(bars=4)
    document["groups"], document["moves"] = [], []
    document["tracks"] = [{"id": "voice", "stem": "voice.wav"}]
    document["returns"] = [{"id": name, "chain": chain} for name, chain in chains.items()]
    document["sends"] = [{"from": "voice", "to": name, "level_db": 0.0} for name in chains]
    return plan_from_document(document)


HALL = {"kind": "reverb", "params": {"space": "hall", "decay_s": 1.2, "mod_depth": 0.0, "pre_delay": "30ms"}}
ECHO = {"kind": "echo", "params": {"left": "100ms", "right": "150ms", "feedback": 0.4}}


def test_a_response_brought_back_sounds_as_the_return_did(tmp_path) -> None:
    plan = returns(hall=[HALL], echo=[ECHO, {"kind": "tone", "params": {"bands": [{"shape": "low_cut", "hz": 300}]}}])
    saved = save_responses(plan, tmp_path, {})
    assert [each.channels for each in saved] == [4, 2]
    document = document_of(plan)
    for return_, each in zip(document["returns"], saved, strict=True):
        params = {"ir": each.path.name, "direct": "keep", "pre_delay": f"{each.pre_delay_ms}ms"}
        return_["chain"] = [{"kind": "impulse", "params": params}]
        return_["level_db"] = each.level_db
    back = plan_from_document(document)
    stems = make_stems(plan)
    stems.responses = {each.path.name: read_response(each.path, 48000) for each in saved}
    before, after = (Engine(each, stems).advance(150_000).returns for each in (plan, back))
    for name in ("hall", "echo"):
        off = np.std(before[name] - after[name]) / np.std(before[name])
        assert 20 * np.log10(off) < -50, name


def test_what_wanders_is_held_still_and_said_so(tmp_path) -> None:
    wandering = {**HALL, "params": {**HALL["params"], "mod_depth": 0.8}}
    (still,) = save_responses(returns(hall=[HALL]), tmp_path / "a", {})
    (held,) = save_responses(returns(hall=[wandering]), tmp_path / "b", {})
    assert (still.note, held.note) == ("", "held still: reverb")
    content = held.path.read_bytes()
    assert content == still.path.read_bytes()
    assert b"PEAK" not in content  # which says when it was written


def test_a_return_that_changes_in_time_or_is_not_linear_has_no_response_and_says_why(plan, tmp_path) -> None:
    drive = {"kind": "drive", "params": {"amount": 0.5}}
    driven = set_effect(returns(echo=[ECHO]), "echo", "echo", params={"drive": 0.3})
    assert [each.note for each in save_responses(returns(a=[HALL, drive], b=[{"kind": "tone", "params": {"bands": []}}]), tmp_path, {})] == [
        "Drive is not linear",
        "nothing comes out of it",
    ]  # fmt: skip
    assert save_responses(driven, tmp_path, {})[0].note == "Echo is not linear"
    assert save_responses(plan, tmp_path, {})[0].note == "decay_s of reverb moves in the song"
    assert [path.name for path in tmp_path.iterdir()] == ["hall.wav"]


# command line


def test_export_writes_what_is_asked_for_and_says_where(tmp_path, capsys) -> None:
    (tmp_path / "plan.json").write_text(json.dumps(document_of(returns(hall=[HALL]))))
    write_stem(tmp_path / "voice.wav", np.zeros((1, 4800)) + 0.1)
    arguments = ["--midi", "a.mid", "--sends", "s.csv", "--responses", "r"]
    arguments = [word if word.startswith("--") else str(tmp_path / word) for word in arguments]
    assert cli.main(["export", str(tmp_path / "plan.json"), *arguments]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[:2] == [str(tmp_path / "a.mid"), str(tmp_path / "s.csv")]
    assert lines[2].startswith(f"{tmp_path}/r/hall.wav: ")
    assert "4 channels; in an impulse effect that keeps the direct sound" in lines[2]
    assert cli.main(["export", str(tmp_path / "plan.json")]) == 2
    assert "give at least one of --midi, --moves, --sends, --throws, --sections, --responses" in capsys.readouterr().err
