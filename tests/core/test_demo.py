"""The demo song: deterministic, and like a small ensemble recorded dry."""

import numpy as np
import pytest
from scipy import signal

from highhall.demo import STEM_NAMES, demo_plan, score
from highhall.demo.plan import demo_song
from highhall.demo.stems import stem_samples

pytestmark = pytest.mark.slow

RATE = 48000


@pytest.fixture(scope="module")
def stems():
    return {name: stem_samples(name, demo_song().time) for name in STEM_NAMES}


def frames_db(samples: np.ndarray) -> np.ndarray:
    """Level of every 10 ms."""
    whole = samples[: len(samples) // 480 * 480].reshape(-1, 480).astype(np.float64)
    return 10 * np.log10(np.mean(whole**2, axis=1) + 1e-12)


def test_its_plan_is_valid() -> None:
    plan = demo_plan()
    assert [track.id for track in plan.tracks] == list(STEM_NAMES)
    assert [s.start.bar for s in plan.song.sections] == [1, 5, 13, 21, 29, 37, 43, 51]


def test_it_is_the_same_every_time(stems) -> None:
    np.testing.assert_array_equal(stem_samples("stones", demo_song().time), stems["stones"])


def test_stems_are_as_long_as_the_song_and_leave_headroom(stems) -> None:
    for name, samples in stems.items():
        assert len(samples) == demo_song().end_sample, name
        assert -14 < 20 * np.log10(np.abs(samples).max()) < -5, name
        assert abs(samples.mean()) < 1e-3, name


def test_the_voice_sings_phrases_with_gaps_between_them(stems) -> None:
    sounding = frames_db(stems["lead-voice"]) > -55
    edges = np.flatnonzero(np.diff(sounding.astype(int)))  # in turn where it starts and where it stops
    assert not sounding[0]
    rests = edges[2::2] - edges[1:-1:2]
    assert (rests > 80).sum() >= 8  # the phrases of five verses and refrains are 0.8 s or more apart
    assert not sounding[: 7 * 100].any()  # the intro has no voice


@pytest.mark.parametrize("name", ["harp", "frame-drum", "stones"])
def test_struck_and_plucked_notes_start_where_the_score_says(stems, name: str) -> None:
    time = demo_song().time
    notes = {"harp": score.harp, "frame-drum": score.frame_drum, "stones": score.stones}[name]
    starts = sorted({time.tempos.seconds_at(note.start / 8) for note in notes()})
    level = frames_db(stems[name])
    found = 0
    for start in starts[:200]:
        place = int(start * 100)
        before, after = level[max(place - 4, 0) : max(place - 1, 1)], level[place : place + 5]
        found += after.max() > before.mean() + 2
    assert found / len(starts[:200]) > 0.9


def test_instruments_differ_in_colour_and_the_bass_is_low(stems) -> None:
    centres = {}
    for name, samples in stems.items():
        frequencies, density = signal.welch(samples, RATE, nperseg=8192)
        centres[name] = float(np.sum(frequencies * density) / np.sum(density))
    assert (
        centres["frame-drum"] < centres["double-bass"] < centres["lead-voice"] < centres["stones"] < centres["shakers"]
    )
    assert len({round(c / 20) for c in centres.values()}) >= 9


def test_it_is_dry(stems) -> None:
    """A struck stone is 60 dB down within a quarter of a second."""
    samples = stems["stones"]
    last = max(note.start for note in score.stones())
    start = int(demo_song().time.tempos.seconds_at(last / 8) * RATE)
    hit = np.abs(samples[start : start + RATE])
    assert np.abs(hit[RATE // 4 :]).max() < hit.max() * 10 ** (-50 / 20)
