"""Delays between samples, against the delayed signal itself."""

import itertools

import numpy as np
import pytest

from highhall.curves import Switched
from highhall.effects.delay import LAGRANGE, DelayLine, PreDelay, cell_edges, read_between
from highhall.plan import Tempo
from highhall.timing import Milliseconds, NoteValue, Position
from tests.core.signals import RATE, make_song


@pytest.mark.parametrize("hz", [1000, 6000])
def test_reading_between_samples_errs_by_less_than_60_db(hz: float) -> None:
    time = np.arange(2000)
    wave = np.sin(2 * np.pi * hz * time / RATE).astype(np.float32)
    places = 100 + np.arange(1500) * 1.0003 + 0.37
    heard = np.empty(1500, np.float32)
    read_between(wave, heard, 1000, 1000 + np.arange(1500) - places, LAGRANGE)
    ideal = np.sin(2 * np.pi * hz * places / RATE)
    assert 20 * np.log10(np.abs(heard - ideal).max()) < -60


def test_a_delay_that_glides_reads_polynomials_of_the_fifth_degree_exactly_and_waves_within_70_db() -> None:
    time, start = np.arange(4096), 6400
    edges = cell_edges(start, start + len(time))
    delays = 40 + 25 * np.sin(edges / 500)
    at_each = np.interp(start + time, edges, delays)
    curve = np.polynomial.Polynomial(np.random.default_rng(3).standard_normal(6), domain=[0, 4096])
    wave = np.sin(2 * np.pi * 3000 * time / RATE)
    line = DelayLine(80)
    line.take(np.stack([curve(time), wave]).astype(np.float32))
    (exact, near) = (line.read_gliding(side, start, delays)[100:] for side in range(2))
    known = time[100:] - at_each[100:]
    np.testing.assert_allclose(exact, curve(known), atol=2e-6)
    assert 20 * np.log10(np.abs(near - np.sin(2 * np.pi * 3000 * known / RATE)).max()) < -70


def test_a_time_that_never_changes_is_whole_samples() -> None:
    noise = np.random.default_rng(0).standard_normal((2, 5000)).astype(np.float32)
    delayed = PreDelay(Switched(Milliseconds(10.004)), make_song().time).process(noise, 0)
    assert not delayed[:, :480].any()
    np.testing.assert_array_equal(delayed[:, 480:], noise[:, :-480])


def test_blocks_change_no_bit_while_the_tempo_moves() -> None:
    tempos = (Tempo(at=Position(1), bpm=120.0), Tempo(at=Position(3), bpm=90.0, ramp=True))
    song = make_song(tempos=tempos)
    noise = np.random.default_rng(1).standard_normal((2, 40_000)).astype(np.float32)
    whole = PreDelay(Switched(NoteValue(1, 16)), song.time).process(noise, 60_000)
    delay, parts = PreDelay(Switched(NoteValue(1, 16)), song.time), []
    edges = [0, 1, 2, 700, 12_345, 40_000]
    for start, stop in itertools.pairwise(edges):
        parts.append(delay.process(np.ascontiguousarray(noise[:, start:stop]), 60_000 + start))
    np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)
