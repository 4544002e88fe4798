"""A sweep in a simulated room against the room's true response."""

import json

import numpy as np
import pytest
import soundfile as sf
from scipy import signal

from highhall import cli
from highhall.capture import ROOMS, Room, Sweep, capture_response, example_response
from highhall.capture.examples import captured
from highhall.effects import read_response
from highhall.errors import CoreError
from highhall.measure import decay_by_band
from tests.core.signals import RATE, db


def error_db(found: np.ndarray, true: np.ndarray) -> float:
    """Energy of the difference against that of the truth, 40 Hz to 18 kHz."""
    hz = np.fft.rfftfreq(true.shape[1], 1 / RATE)
    inside = (hz > 40) & (hz < 18000)
    a, b = (np.fft.rfft(x.astype(np.float64), axis=1)[:, inside] for x in (found, true))
    return db(np.sum(np.abs(a - b) ** 2) / np.sum(np.abs(b) ** 2))


@pytest.mark.parametrize("name", ["tiled-washroom", "timber-hall"])
def test_a_captured_room_differs_from_the_true_one_by_less_than_50_db(name: str) -> None:
    room, sweep = ROOMS[name], Sweep()
    true = np.pad(room.response(RATE), ((0, 0), (0, RATE // 2)))  # the filter's ringing at the cut end counts too
    found = sweep.response(room.answer(sweep.samples(), RATE), true.shape[1] / RATE)
    assert error_db(found, true) < -50


def test_distortion_of_the_loudspeaker_lies_before_the_response_and_is_cut() -> None:
    room, sweep = ROOMS["timber-hall"], Sweep()
    played = sweep.samples()
    distorted = np.concatenate([played - 0.1 * played**2, np.zeros(RATE)])
    heard = signal.fftconvolve(distorted[None], room.response(RATE)[:1], axes=1)
    found = sweep.response(heard, 1.0)
    true = room.response(RATE)[:1, :RATE]
    assert error_db(found, true) < -35


def test_the_first_sound_comes_from_the_nearest_speaker_at_its_distance() -> None:
    speakers, microphones = ((20, 20, 9), (24, 20, 9)), ((20, 23.43, 9), (24, 23.43, 9))
    response = Room(size=(45, 45, 18), decay_s=1.0, speakers=speakers, microphones=microphones).response(RATE, 0.2)
    expected = 3.43 / 343 * RATE
    for path in (0, 3):
        assert np.argmax(np.abs(response[path])) == pytest.approx(expected, abs=1)
        assert np.abs(response[path]).max() == pytest.approx(1 / 3.43, rel=0.15)


@pytest.mark.parametrize("name", ["tiled-washroom", "timber-hall"])
def test_rooms_decay_about_as_eyring_says(name: str) -> None:
    readings = {r.centre_hz: r.t30_s for r in decay_by_band(ROOMS[name].response(RATE), RATE)}
    assert readings[1000.0] == pytest.approx(ROOMS[name].decay_s, rel=0.35)  # a shoebox is not diffuse
    assert readings[8000.0] < readings[1000.0]


def test_the_commands_lead_from_a_sweep_to_a_return(tmp_path, capsys) -> None:
    recording, response = tmp_path / "recording.wav", tmp_path / "ir.wav"
    assert cli.main(["sweep", "--out", str(tmp_path / "sweep.wav"), "--seconds", "3"]) == 0
    assert cli.main(["room", "tiled-washroom", "--out", str(recording), "--seconds", "3"]) == 0
    assert cli.main(["response", str(recording), "--out", str(response), "--seconds", "3", "--length", "1"]) == 0
    assert "4 channels" in capsys.readouterr().out
    assert read_response(response, RATE).shape == (4, RATE)
    sf.write(tmp_path / "voice.wav", 0.1 * np.random.default_rng(0).standard_normal(RATE), RATE)
    plan = {
        "format": "high-hall-plan", "version": 1,
        "song": {"title": "T", "sample_rate": 44100, "meters": [{"bar": 1, "beats": 4, "unit": 4}],
                 "tempos": [{"at": "1|1", "bpm": 120}], "end": "2|1"},
        "tracks": [{"id": "voice", "stem": "voice.wav"}],
        "returns": [{"id": "room", "chain": [{"kind": "impulse", "params": {"ir": "ir.wav"}}]}],
        "sends": [{"from": "voice", "to": "room"}],
    }  # fmt: skip
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    assert cli.main(["render", str(tmp_path / "plan.json"), "--out", str(tmp_path / "out"), "--depth", "32f"]) == 0
    wet, dry = (sf.read(tmp_path / "out" / name)[0] for name in ("returns/room.wav", "dry.wav"))
    assert db(np.mean(wet[:44100] ** 2) / np.mean(dry[:44100] ** 2)) == pytest.approx(0, abs=3)
    response.unlink()
    assert cli.main(["render", str(tmp_path / "plan.json"), "--out", str(tmp_path / "again")]) == 2
    assert 'the impulse response "ir.wav" is missing' in capsys.readouterr().err


def test_the_shipped_responses_are_those_of_the_rooms(tmp_path, capsys) -> None:
    assert cli.main(["examples", "--out", str(tmp_path)]) == 0
    for name, room in ROOMS.items():
        response = read_response(tmp_path / f"{name}.flac", RATE)
        assert response.shape == (4, round(room.decay_s * RATE))
    again = captured("timber-hall")
    shipped = read_response(example_response("timber-hall"), RATE)
    assert db(np.sum((again - shipped) ** 2) / np.sum(again**2)) < -60


def test_what_is_no_recording_is_refused_with_one_sentence(tmp_path, capsys) -> None:
    sf.write(tmp_path / "short.wav", np.ones(100) * 0.1, RATE)
    for arguments, text in (
        (["--seconds", "8"], "expected the whole sweep"),
        (["--rate", "44100"], "expected the sweep's rate, 44100 Hz"),
    ):
        assert cli.main(["response", str(tmp_path / "short.wav"), "--out", str(tmp_path / "x.wav"), *arguments]) == 2
        assert text in capsys.readouterr().err
    with pytest.raises(CoreError, match="a second or more"):
        Sweep(seconds=0.5).samples()
    assert not (tmp_path / "x.wav").exists()


def decaying(decay_s: float, *, noise_db: float = -200.0, seconds: float = 2.0) -> np.ndarray:
    """A room of noise that falls 60 dB in `decay_s`, one side, after a direct sound of 1; with noise of its own."""
    rng = np.random.default_rng(5)
    time = np.arange(round(seconds * RATE)) / RATE
    room = 0.3 * rng.standard_normal(len(time)) * 10 ** (-3 * time / decay_s)
    room[0] = 1.0
    return room


@pytest.mark.parametrize("decay_s", [0.4, 1.2])
def test_a_recording_that_begins_before_the_sweep_gives_the_rooms_decay_and_its_noise(tmp_path, decay_s: float) -> None:
    sweep = Sweep(seconds=4.0)
    heard = signal.oaconvolve(sweep.samples(), decaying(decay_s))
    early = round(1.5 * RATE)
    recording = np.concatenate([np.zeros(early), heard])
    rng = np.random.default_rng(1)
    floors = []
    for noise in (1e-4, 1e-3):
        sf.write(tmp_path / "take.wav", 0.1 * recording + noise * rng.standard_normal(len(recording)), RATE, "FLOAT")
        found = capture_response(tmp_path / "take.wav", sweep, 2.0)
        assert found.start_s == pytest.approx(1.5, abs=0.004)
        assert found.decay_s == pytest.approx(decay_s, rel=0.06)
        assert np.abs(found.samples).max() == pytest.approx(0.9)
        assert np.argmax(np.abs(found.samples[0])) / RATE < 0.004
        floors.append(found.noise_db)
    assert floors[1] - floors[0] == pytest.approx(20, abs=1)
    quiet = 0.1 * recording + 0.2 * rng.standard_normal(len(recording))
    sf.write(tmp_path / "loud.wav", quiet, RATE, "FLOAT")
    assert capture_response(tmp_path / "loud.wav", sweep, 2.0).decay_s is None, "noise hides the decay"


def test_a_channel_that_heard_nothing_stays_silent_and_a_minute_is_the_most(tmp_path) -> None:
    sweep = Sweep(seconds=2.0)
    heard = 0.1 * signal.oaconvolve(sweep.samples(), decaying(0.4))
    sf.write(tmp_path / "take.wav", np.stack([heard, np.zeros_like(heard)], axis=1), RATE, "FLOAT")
    found = capture_response(tmp_path / "take.wav", sweep, 1.0)
    assert found.samples.shape == (2, RATE)
    assert not found.samples[1].any()
    sf.write(tmp_path / "silent.wav", np.zeros((3 * RATE, 2)), RATE)
    with pytest.raises(CoreError, match="expected the whole sweep"):
        capture_response(tmp_path / "silent.wav", sweep, 1.0)
    sf.write(tmp_path / "long.wav", np.full(61 * RATE, 0.1), RATE)
    with pytest.raises(CoreError, match="expected 60 s at the most"):
        capture_response(tmp_path / "long.wav", sweep, 1.0)
