"""A song's parts listened to while it is rendered, and what rings on from phrase to phrase."""

from itertools import pairwise

import numpy as np
import pytest

from highhall.depth.spills import spills_of
from highhall.measure import Phrase, integrated_loudness
from highhall.measure.lanes import lanes_of, peaks_of
from highhall.measure.true_peak import TruePeak, true_peak
from highhall.plan.edits import set_send, set_tracks
from highhall.plan.isolation import alone
from highhall.render import Engine
from tests.core.depth_songs import model_of, noise, song, stems_of
from tests.core.signals import RATE

EVEN = {"space": "hall", "decay_s": 1.5, "low_ratio": 1.0, "high_ratio": 1.0}
HALL = [{"id": "hall", "chain": [{"kind": "reverb", "params": EVEN}]}]
PHRASES = [Phrase(start_s=s, end_s=s + 1.0) for s in (0.5, 2.0, 4.5, 7.0)]


def spoken() -> np.ndarray:
    """Noise that sounds in the phrases alone."""
    sound = noise()
    time = np.arange(sound.shape[1]) / RATE
    return sound * np.any([(p.start_s <= time) & (time < p.end_s) for p in PHRASES], axis=0).astype(np.float32)


def test_the_parts_of_a_song_are_analysed_as_they_are_rendered() -> None:
    plan = song()
    stems = stems_of(noise())
    block = Engine(plan, stems).advance(plan.song.end_sample)
    lanes = lanes_of(plan, stems)
    assert set(lanes) == {"main", "dry", "wire"}
    for name, sound in (("main", block.main), ("dry", block.dry), ("wire", block.returns["wire"])):
        assert lanes[name].loudness_lufs() == pytest.approx(integrated_loudness(sound, RATE), abs=0.01)
        assert lanes[name].true_peak == pytest.approx(true_peak(sound), rel=1e-4)
        assert lanes[name].seconds == plan.song.end_sample / RATE
    part = block.main[:, 4 * RATE : 8 * RATE]
    assert lanes["main"].loudness_lufs(4.0, 8.0) == pytest.approx(integrated_loudness(part, RATE), abs=0.05)


def test_peaks_alone_are_those_of_the_analyses() -> None:
    plan, stems = song(), stems_of(noise())
    lanes, peaks = lanes_of(plan, stems), peaks_of(plan, stems)
    assert set(peaks) == set(lanes)
    for part, found in peaks.items():
        assert found.true_peak == pytest.approx(lanes[part].true_peak)
        assert np.array_equal(found.peaks, lanes[part].peaks)
        assert found.along(7).max() == found.peaks.max()
        assert len(found.along(7)) == 7


def test_listening_gives_way_between_blocks() -> None:
    calls = []
    lanes_of(song(bars=12), stems_of(noise(24.0)), give_way=lambda: calls.append(1))
    assert len(calls) == 3


@pytest.mark.parametrize("sizes", [[48000], [100, 7, 3, 24000, 5000, 18890], [10] * 40 + [47600]])
def test_a_true_peak_is_the_same_block_by_block(sizes: list[int]) -> None:
    sound = np.random.default_rng(5).standard_normal((2, 48000)).astype(np.float32)
    listener, at = TruePeak(), 0
    for size in sizes:
        listener.add(sound[:, at : at + size])
        at += size
    assert at == 48000
    assert listener.finish() == pytest.approx(true_peak(sound), rel=1e-6)
    assert TruePeak().finish() == 0.0


def test_a_true_peak_is_found_in_sound_that_may_not_be_written_as_in_any_other() -> None:
    sound = np.random.default_rng(4).standard_normal((1, 5000)).astype(np.float32)
    peak = true_peak(sound)
    sound.flags.writeable = False
    assert true_peak(sound) == peak


def test_what_is_left_of_a_phrase_is_what_is_heard_when_the_rest_is_silent() -> None:
    plan = song(returns=HALL, sends=[{"from": "voice", "to": "hall", "level_db": -3.0}])
    voice = spoken()
    spills = spills_of(model_of(plan, voice), "voice", PHRASES)
    assert [(spill.return_id, spill.end_s, spill.next_s) for spill in spills] == [
        ("hall", before.end_s, after.start_s) for before, after in pairwise(PHRASES)
    ]
    least_db = -57  # further down what the model cuts off a tail begins to be missing
    for spill in spills:
        only = voice * (np.arange(voice.shape[1]) < spill.end_s * RATE)
        wet = Engine(alone(plan, {"voice"}), stems_of(only.astype(np.float32))).advance(12 * RATE).returns["hall"]
        last = round(spill.next_s * RATE)
        tail = np.sum(np.mean(wet[:, last - RATE // 10 : last].astype(float) ** 2, axis=1))
        phrase = np.mean(voice[0, last : last + RATE].astype(float) ** 2)
        heard_db = 10 * np.log10(tail / phrase)
        assert max(spill.level_db, least_db) == pytest.approx(max(heard_db, least_db), abs=1.5)


def test_spill_falls_by_60_db_in_the_decay_time_and_follows_the_send() -> None:
    plan = song(returns=HALL, sends=[{"from": "voice", "to": "hall", "level_db": -3.0}])
    model = model_of(plan, spoken())
    near, far, _ = (spill.level_db for spill in spills_of(model, "voice", PHRASES))
    assert far - near == pytest.approx(-60 * (1.5 - 0.5) / 1.5, abs=5)
    quieter = model.edited(set_send(plan, "voice", "hall", level_db=-9.0))
    assert spills_of(quieter, "voice", PHRASES)[0].level_db == pytest.approx(near - 6, abs=0.01)
    louder = model.edited(set_tracks(plan, ["voice"], level_db=5.0))
    assert spills_of(louder, "voice", PHRASES)[0].level_db == pytest.approx(near, abs=0.01)


def test_a_source_that_feeds_nothing_or_never_stops_leaves_nothing() -> None:
    model = model_of(song(sends=[]), spoken())
    assert spills_of(model, "voice", PHRASES) == []
    assert spills_of(model_of(song(), noise()), "voice", [Phrase(start_s=0.0, end_s=12.0)]) == []
