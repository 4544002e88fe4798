"""The depth model against closed forms, and against the sound of sources that are rendered alone."""

import math
from typing import Any

import numpy as np
import pytest

from highhall.depth import DepthModel
from highhall.depth.measuring import measured
from highhall.depth.responses import chain_response
from highhall.depth.spectra import bin_edges_hz, k_weights, section_energies
from highhall.measure.loudness import k_weighted
from highhall.plan import Plan
from highhall.plan.edits import set_effect, set_group, set_return, set_send, set_tracks
from tests.core.depth_songs import WIRE, held, model_of, noise, plucked, rendered_db, reverb, song, stems_of, struck
from tests.core.plans import make_document
from tests.core.signals import RATE


def wet_db(plan: Plan, source: str = "voice", section: str | None = "a", voice: np.ndarray | None = None) -> float:
    reading = model_of(plan, noise() if voice is None else voice).readings[source, section]
    assert reading.wet_db is not None
    return reading.wet_db


# what is stored of a stem


def test_the_energies_of_bins_sum_to_that_of_the_sound() -> None:
    sound = noise(3.0, channels=2)
    low = np.fft.irfft(np.where(np.fft.rfftfreq(sound.shape[1], 1 / RATE) < 19000, np.fft.rfft(sound), 0))
    energies = section_energies(low.astype(np.float32), RATE)
    assert energies.shape == (2, len(bin_edges_hz(RATE)) - 1)
    assert float(energies.sum()) == pytest.approx(float(np.sum(low**2)), rel=1e-4)
    middle = float(np.sum((low[0] + low[1]) ** 2) / 2)
    assert float(energies[0].sum()) == pytest.approx(middle, rel=1e-4)


def test_a_tone_lies_in_its_bin_and_a_mono_sound_has_one_row() -> None:
    tone = np.sin(2 * np.pi * 440.5 * np.arange(2 * RATE) / RATE, dtype=np.float32)[None]
    energies = section_energies(tone, RATE)
    assert energies.shape[0] == 1
    assert energies[0, 440] == pytest.approx(float(np.sum(tone**2)), rel=1e-3)


def test_k_weights_are_those_of_the_loudness_meter() -> None:
    sound = noise(2.0)
    weighted = float(np.sum(k_weighted(sound, RATE) ** 2))
    assert float(section_energies(sound, RATE)[0] @ k_weights(RATE)) == pytest.approx(weighted, rel=0.005)


# chains


def test_a_wire_lets_middle_and_side_through_and_an_echo_has_the_energy_of_its_repeats() -> None:
    wire = chain_response(song(), song().returns[0], 0)
    assert wire is not None
    assert np.allclose(wire.energies[0, 0], 1, rtol=1e-3)
    assert np.allclose(wire.energies[1, 1], 1, rtol=1e-3)
    assert np.abs(wire.energies[0, 1]).max() < 1e-6
    assert wire.envelopes[:, 0].min() > 0.94
    echo = {"kind": "echo", "params": {"left": "500ms", "right": "500ms", "feedback": 0.5, "high_cut_hz": None}}
    plan = song(returns=[{"id": "wire", "chain": [echo]}])
    response = chain_response(plan, plan.returns[0], 0)
    assert response is not None
    assert response.energies[0, 0].mean() == pytest.approx(1 / (1 - 0.25), rel=0.02)
    assert response.envelopes[2, [5, 10, 15]] == pytest.approx([0.75, 0.75 / 4, 0.75 / 16], rel=0.06)


def test_what_cannot_sound_has_no_response() -> None:
    plan = song(returns=[{"id": "wire", "chain": [{"kind": "tone", "params": {"bands": []}}]}])
    assert chain_response(plan, plan.returns[0], 0) is None
    assert model_of(plan, noise()).readings["voice", "a"].wet_db == -math.inf


# closed forms


def test_levels_of_send_and_return_are_the_ratio_and_the_sources_own_fader_is_in_both() -> None:
    plan = set_return(song(), "wire", level_db=-3.0)
    assert wet_db(plan) == pytest.approx(-9.0, abs=0.01)
    assert wet_db(set_tracks(plan, ["voice"], level_db=-8.0)) == pytest.approx(-9.0, abs=0.01)
    pre = set_send(plan, "voice", "wire", send_point="pre")
    assert wet_db(set_tracks(pre, ["voice"], level_db=-8.0)) == pytest.approx(-1.0, abs=0.01)
    assert wet_db(set_send(plan, "voice", "wire", on=False)) == -math.inf
    assert wet_db(set_return(plan, "wire", mute=True)) == -math.inf
    assert model_of(set_tracks(plan, ["voice"], mute=True), noise()).readings["voice", "a"].wet_db is None


def test_a_width_acts_on_the_side_alone_and_pans_keep_the_power_of_the_middle() -> None:
    plan = song(sends=[{"from": "harp", "to": "wire"}], groups=[], tracks=[{"id": "voice", "stem": "voice.wav"},
                                                                             {"id": "harp", "stem": "harp.wav"}])  # fmt: skip
    assert wet_db(plan, "harp") == pytest.approx(0.0, abs=0.02)
    wide = wet_db(set_return(plan, "wire", width=2.0), "harp")
    assert wide == pytest.approx(10 * math.log10((1 + 4) / 2), abs=0.05)  # independent sides: half middle, half side
    assert wet_db(set_return(song(), "wire", width=2.0)) == pytest.approx(-6.0, abs=0.01)  # a mono source has no side
    assert wet_db(set_send(song(), "voice", "wire", pan=0.7)) == pytest.approx(-6.0, abs=0.01)
    assert wet_db(set_return(song(), "wire", pan=-1.0)) == pytest.approx(-6.0, abs=0.01)


def test_a_group_sends_what_passes_its_fader_and_a_return_may_go_out_to_it() -> None:
    plan = song(sends=[{"from": "band", "to": "wire", "level_db": -6.0}])
    assert wet_db(plan, "harp") == pytest.approx(-6.0, abs=0.05)  # tone and level of the group are in both
    before = wet_db(set_send(plan, "band", "wire", send_point="pre"), "harp")
    assert before > -6.0 + 2.0 + 1.0  # neither of them is in the wet sound
    out = song(returns=[{"id": "wire", "output": "band", "chain": [WIRE]}])
    assert wet_db(set_group(out, "band", tone=())) == pytest.approx(-8.0, abs=0.01)
    assert wet_db(set_group(out, "band", mute=True)) == -math.inf


def test_returns_that_feed_each_other_are_followed_before_and_behind_faders() -> None:
    returns = [{"id": "wire", "level_db": -4.0, "chain": [WIRE]}, {"id": "far", "level_db": -1.0, "chain": [WIRE]}]
    sends = [{"from": "voice", "to": "wire", "level_db": -6.0}, {"from": "wire", "to": "far", "level_db": -5.0}]
    readings = model_of(song(returns=returns, sends=sends), noise()).readings["voice", "a"]
    assert readings.by_return_db == pytest.approx({"wire": -10.0, "far": -16.0}, abs=0.02)
    sends[1]["tap"] = "pre"
    readings = model_of(song(returns=returns, sends=sends), noise()).readings["voice", "a"]
    assert readings.by_return_db == pytest.approx({"wire": -10.0, "far": -12.0}, abs=0.02)


def test_a_level_that_moves_counts_by_the_power_of_the_source_while_it_holds() -> None:
    target = {"send": ["voice", "wire"], "param": "level_db"}
    plan = song(moves=[{"target": target, "sections": [{"section": "b", "value": 0.0}]}])
    assert [wet_db(plan, section=s) for s in "ab"] == pytest.approx([-6.0, 0.0], abs=0.05)
    quarter = song(moves=[{"target": target, "throws": [{"at": "1|1", "length": "1/2", "value": 0.0}]}])
    mean = 10 * math.log10(0.25 + 0.75 * 10**-0.6)
    assert wet_db(quarter) == pytest.approx(mean, abs=0.05)
    half = noise()
    half[:, 2 * RATE : 4 * RATE] *= 0.1  # the throw holds in the half that is louder by 20 dB
    assert wet_db(quarter, voice=half) == pytest.approx(10 * math.log10(0.5 + 0.5 * 10**-0.6), abs=0.05)


def test_what_rings_on_is_heard_in_the_next_section() -> None:
    echo = {"kind": "echo", "params": {"left": "2000ms", "right": "2000ms", "feedback": 0.0, "high_cut_hz": None}}
    plan = song(returns=[{"id": "wire", "chain": [echo]}])
    sound = noise()
    sound[:, 4 * RATE :] *= 0.1
    readings = model_of(plan, sound).readings
    assert readings["voice", "a"].wet_db == pytest.approx(-6.0 - 3.01, abs=0.1)  # of four seconds two are heard there
    assert readings["voice", "b"].wet_db == pytest.approx(-6.0 + 10 * math.log10(0.5 * 100 + 0.5), abs=0.1)


def test_a_song_without_sections_is_one_and_silence_has_no_ratio() -> None:
    document: dict[str, Any] = {"sections": []}
    plan = song(song={**make_document(bars=6)["song"], **document})
    assert wet_db(plan, section="whole-song") == pytest.approx(-6.0, abs=0.01)
    assert wet_db(plan, section=None) == pytest.approx(-6.0, abs=0.01)
    assert model_of(song(), np.zeros((1, RATE), np.float32)).readings["voice", "a"].wet_db is None


# edits


def test_an_edited_plan_reads_as_a_model_of_its_own() -> None:
    first = model_of(song(), noise())
    for edited in (
        set_send(song(), "voice", "wire", level_db=-1.0),
        set_tracks(song(), ["voice"], pan=0.4, level_db=-7.0),
        set_return(song(), "wire", pan=0.5, level_db=-2.0),
        set_effect(song(), "wire", song().returns[0].chain[0].id, params={"left_ms": 12.0}),
    ):
        assert first.readings  # so that something is kept
        again, anew = first.edited(edited).readings, model_of(edited, noise()).readings
        for key, reading in anew.items():
            assert again[key].dry_power == reading.dry_power
            assert again[key].by_return == pytest.approx(dict(reading.by_return), rel=1e-12)


# the sound itself


def echo_into_hall() -> Plan:
    echo = {"kind": "echo", "params": {"left": "1/8.", "right": "1/4", "feedback": 0.3}}
    plan = song(
        bars=8,
        returns=[
            {"id": "hall", "level_db": -2.0, "width": 1.2, "chain": [reverb("hall", 3.0), {"kind": "tone", "params": {"bands": [
                {"shape": "low_cut", "hz": 250}]}}]},
            {"id": "echo", "chain": [echo]},
        ],
        sends=[
            {"from": "voice", "to": "hall", "level_db": -8.0, "tap": "pre"},
            {"from": "voice", "to": "echo", "level_db": -14.0},
            {"from": "echo", "to": "hall", "level_db": -4.0},
        ],
        moves=[{"target": {"send": ["voice", "hall"], "param": "level_db"},
                "sections": [{"section": "b", "value": -14.0, "ramp": "1/4"}],
                "throws": [{"at": "2|3", "length": "1/4", "value": 0.0, "ramp_out": "1/8"}]}],
    )  # fmt: skip
    return set_tracks(plan, ["voice"], pan=-0.4, level_db=-3.0)


def wet_by_section(model: DepthModel) -> dict[str, float | None]:
    return {section.id: model.readings["voice", section.id].wet_db for section in model.plan.song.sections}


@pytest.mark.parametrize("sound", [held, plucked, struck], ids=["held", "plucked", "struck"])
def test_predicted_ratios_are_those_of_the_rendered_sound_within_a_decibel(sound: Any) -> None:
    stems = stems_of(sound())
    model = model_of(echo_into_hall(), sound())
    assert wet_by_section(model) == pytest.approx(rendered_db(model.plan, stems, "voice"), abs=1.0)


def test_what_was_measured_replaces_what_was_predicted_and_corrects_what_is_predicted_of_edits() -> None:
    time = np.arange(12 * RATE) / RATE  # without any wavering: one line of the spectrum meets one place of the response
    tones = 0.05 * sum(np.sin(2 * np.pi * hz * time) for hz in (196.0, 246.9, 293.7, 392.0))
    sound = tones[None].astype(np.float32)
    stems, model = stems_of(sound), model_of(echo_into_hall(), sound)
    heard = rendered_db(model.plan, stems, "voice")
    assert wet_by_section(model) != pytest.approx(heard, abs=0.5)
    corrected = model.corrected({"voice": measured(model.plan, stems, "voice")})
    assert wet_by_section(corrected) == pytest.approx(heard, abs=0.01)
    assert corrected.readings["voice", "a"].is_measured
    edited = set_return(set_send(model.plan, "voice", "hall", level_db=-12.0), "hall", level_db=1.0)
    again = corrected.edited(edited)
    assert not again.readings["voice", "a"].is_measured
    assert wet_by_section(again) == pytest.approx(rendered_db(edited, stems, "voice"), abs=1.0)
    other = corrected.edited(set_send(model.plan, "harp", "hall", level_db=-3.0))
    assert other.readings["voice", "a"].is_measured  # what another source does is not heard in this one
    assert not other.readings["harp", "a"].is_measured
