"""Where last words begin: on the demo song's voices, where the score knows, and on made signals."""

from fractions import Fraction

import numpy as np
import pytest

from highhall.demo import score
from highhall.demo.plan import demo_song
from highhall.demo.stems import stem_samples
from highhall.measure import Phrase, analysis_of
from highhall.measure.words import last_word_start_s, onsets_s
from highhall.timing import Position

RATE = 48000
TIME = demo_song().time
NEAR_S = 0.06
TUNES = {
    "lead-voice": score.lead_voice, "harmony-voices": score.harmony_voices, "low-whistle": score.low_whistle,
    "stones": score.stones,
}  # fmt: skip


def seconds_of(eighths: float) -> float:
    bar, beat = divmod(eighths, score.BAR)
    return TIME.seconds_at(Position(int(bar) + 1, 1 + Fraction(beat).limit_denominator(1000)))


@pytest.mark.parametrize("name", TUNES)
def test_every_last_note_of_the_demo_is_found_within_60_ms(name: str) -> None:
    samples = stem_samples(name, TIME)[None]
    notes = list(TUNES[name]())
    starts = np.array([seconds_of(note.start) for note in notes])
    ends = np.array(
        [seconds_of(note.start + note.length) + 0.105 for note in notes]
    )  # a voice falls for 0.11 s after it
    phrases = analysis_of(samples, RATE).phrases()
    assert len(phrases) >= 3
    for phrase in phrases:
        true_s = starts[(starts > phrase.start_s - 0.1) & (starts < phrase.end_s - 0.05)].max()
        assert abs(last_word_start_s(samples, RATE, phrase) - true_s) < NEAR_S, phrase
        if name == "lead-voice":
            assert np.abs(ends - phrase.end_s).min() < NEAR_S, phrase


def bursts(*spans: tuple[float, float, float], seconds: float = 4.0) -> np.ndarray:
    """Tones of (start, end, Hz), each with an attack of 10 ms and a fall of 40 ms."""
    out = np.zeros(round(seconds * RATE))
    for start, end, hz in spans:
        n = np.arange(round(start * RATE), round(end * RATE))
        t = (n - n[0]) / RATE
        envelope = np.minimum(1, t / 0.01) * np.minimum(1, (t[-1] - t) / 0.04)
        out[n] += 0.3 * envelope * sum(np.sin(2 * np.pi * k * hz * t) / k for k in (1, 2, 3))
    return out[None].astype(np.float32)


def test_words_that_touch_are_told_apart_by_their_tone() -> None:
    samples = bursts((0.5, 1.2, 220), (1.2, 1.6, 330), (1.6, 2.4, 262))
    assert onsets_s(samples, RATE) == pytest.approx([0.5, 1.2, 1.6], abs=NEAR_S)
    assert last_word_start_s(samples, RATE, Phrase(start_s=0.5, end_s=2.4)) == pytest.approx(1.6, abs=NEAR_S)


def test_a_phrase_of_one_word_begins_with_it() -> None:
    samples = bursts((1.0, 1.8, 220))
    assert last_word_start_s(samples, RATE, Phrase(start_s=1.0, end_s=1.8)) == pytest.approx(1.0, abs=NEAR_S)


def test_silence_and_moments_have_no_words() -> None:
    assert onsets_s(np.zeros((2, RATE), np.float32), RATE).size == 0
    assert onsets_s(np.zeros((1, 10), np.float32), RATE).size == 0
