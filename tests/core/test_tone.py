"""Filters against their analogue prototypes and the digital response of scipy."""

import numpy as np
import pytest
from scipy import signal

from highhall.effects.tone import Tone, response_db, sections_of
from highhall.plan import Filter
from tests.core.signals import RATE, impulse

FREQUENCIES = np.geomspace(20, 18000, 400)
FILTERS = [
    *(Filter(shape=shape, hz=hz, slope_db_oct=slope) for shape in ("low_cut", "high_cut") for hz in (80.0, 3000.0) for slope in (6, 12, 18, 24)),
    Filter(shape="bell", hz=1000.0, gain_db=9.0, q=2.0),
    Filter(shape="bell", hz=12000.0, gain_db=-12.0, q=0.7),
    Filter(shape="low_shelf", hz=250.0, gain_db=-6.0),
    Filter(shape="high_shelf", hz=4000.0, gain_db=8.0, q=0.9),
    Filter(shape="notch", hz=440.0, q=3.0),
]  # fmt: skip


def analogue_db(filter_: Filter) -> np.ndarray:
    """The formulas of the plan format at frequencies warped as the bilinear transform does."""
    warped = np.tan(np.pi * FREQUENCIES / RATE) / np.tan(np.pi * filter_.hz / RATE)
    s = 1j * warped
    a, q = 10 ** (filter_.gain_db / 40), filter_.q
    order = filter_.slope_db_oct // 6
    match filter_.shape:
        case "low_cut":
            return -10 * np.log10(1 + warped ** (-2.0 * order))
        case "high_cut":
            return -10 * np.log10(1 + warped ** (2.0 * order))
        case "bell":
            h = (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1)
        case "notch":
            h = (s * s + 1) / (s * s + s / q + 1)
        case "low_shelf":
            h = a * (s * s + s * np.sqrt(a) / q + a) / (a * s * s + s * np.sqrt(a) / q + 1)
        case _:
            h = a * (a * s * s + s * np.sqrt(a) / q + 1) / (s * s + s * np.sqrt(a) / q + a)
    return 20 * np.log10(np.maximum(np.abs(h), 1e-10))


@pytest.mark.parametrize("filter_", FILTERS, ids=lambda b: f"{b.shape} {b.hz:g} {b.slope_db_oct} {b.gain_db:g}")
def test_what_is_heard_has_the_analytic_curve(filter_: Filter) -> None:
    heard = Tone([filter_], RATE).process(impulse(2.0), 0)[0].astype(np.float64)
    _, response = signal.freqz(heard, worN=FREQUENCIES, fs=RATE)
    measured = 20 * np.log10(np.abs(response))
    expected = analogue_db(filter_)
    audible = expected > -60
    np.testing.assert_allclose(measured[audible], expected[audible], atol=0.2)


@pytest.mark.parametrize("filter_", FILTERS[:8], ids=lambda b: f"{b.shape} {b.hz:g} {b.slope_db_oct}")
def test_a_cut_is_3_db_down_at_its_frequency(filter_: Filter) -> None:
    assert response_db([filter_], np.array([filter_.hz]), RATE)[0] == pytest.approx(-3.0103, abs=0.01)


def test_many_bands_multiply_and_agree_with_scipy() -> None:
    noise = np.random.default_rng(1).standard_normal((2, 20000)).astype(np.float32)
    sections = sections_of(FILTERS[8:], RATE)
    sos = np.insert(sections, 3, 1.0, axis=1)
    expected = signal.sosfilt(sos, noise.astype(np.float64), axis=1)
    np.testing.assert_allclose(Tone(FILTERS[8:], RATE).process(noise, 0), expected, atol=2e-5)


def test_a_band_that_is_off_changes_nothing() -> None:
    noise = np.random.default_rng(2).standard_normal((2, 512)).astype(np.float32)
    off = Filter(shape="bell", hz=1000.0, gain_db=12.0, on=False)
    np.testing.assert_array_equal(Tone([off], RATE).process(noise, 0), noise)


@pytest.mark.parametrize("sizes", [(1,), (7, 512), (4096,)])
def test_block_sizes_change_no_bit(sizes: tuple[int, ...]) -> None:
    noise = np.random.default_rng(3).standard_normal((2, 6000)).astype(np.float32)
    whole = Tone(FILTERS, RATE).process(noise, 0)
    tone, parts, start = Tone(FILTERS, RATE), [], 0
    while start < noise.shape[1]:
        stop = start + sizes[len(parts) % len(sizes)]
        parts.append(tone.process(np.ascontiguousarray(noise[:, start:stop]), start))
        start = stop
    np.testing.assert_array_equal(np.concatenate(parts, axis=1), whole)


def test_memory_covers_what_a_narrow_bell_rings() -> None:
    tone = Tone([Filter(shape="bell", hz=100.0, gain_db=18.0, q=10.0)], RATE)
    ringing = np.abs(tone.process(impulse(4.0), 0)[0])
    after = ringing[int(tone.memory_s * RATE) :]
    assert after.max() < ringing[1:].max() * 10 ** (-90 / 20)
