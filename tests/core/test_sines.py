"""Sines of many places at once, against numpy's of what is left of each turn."""

import numpy as np

from highhall.effects.sines import sine


def test_sines_are_numpys_wherever_a_turn_begins() -> None:
    turns = np.random.default_rng(1).uniform(-3000, 3000, (3, 4001))
    expected = np.sin(2 * np.pi * (turns - np.round(turns)))
    assert np.abs(sine(turns) - expected).max() < 5e-16
    np.testing.assert_allclose(sine(np.array([0.0, 0.25, 0.5, 0.75, 1.0, -0.25])), [0, 1, 0, -1, 0, -1], atol=1e-16)


def test_a_place_has_the_same_sine_wherever_it_stands() -> None:
    turns = np.random.default_rng(2).uniform(0, 500, 1001)
    whole = sine(turns)
    for first in (1, 7, 500):
        np.testing.assert_array_equal(sine(turns[first:]), whole[first:])
    np.testing.assert_array_equal(sine(turns[::2]), whole[::2])
