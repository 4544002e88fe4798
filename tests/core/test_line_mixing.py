"""The mixing of the reverb's lines against the matrix that it stands for."""

import numpy as np
from numba import njit
from scipy.linalg import hadamard

from highhall.effects.reverb.mixing import mix_and_feed


@njit
def mixed(square, fed, at, inputs, lines, places, to):
    mix_and_feed(square, fed, at, inputs, lines, places, to)


def test_lines_are_mixed_by_the_orthogonal_hadamard_matrix_and_fed_even_ones_left_odd_ones_right() -> None:
    rng = np.random.default_rng(5)
    frames = rng.standard_normal((16, 16)).astype(np.float32)  # a row a frame, a column a line
    fed, inputs = rng.standard_normal((2, 40)).astype(np.float32), rng.standard_normal((2, 16)).astype(np.float32)
    lines = np.zeros((16, 50), np.float32)
    mixed(frames.reshape(-1), fed, 7, inputs, lines.reshape(-1), np.arange(16) * 50 + 4, 16)
    expected = hadamard(16) @ frames.T / 4
    for line in range(16):
        expected[line] += inputs[line % 2, line] * fed[line % 2, 7:23]
    np.testing.assert_allclose(lines[:, 20:36], expected, atol=1e-5)
    assert not lines[:, :20].any()
    assert not lines[:, 36:].any()
