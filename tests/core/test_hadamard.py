"""The mixing of the reverb's lines against the matrix that it stands for."""

import numpy as np
from scipy.linalg import hadamard

from highhall.effects.reverb.hadamard import mix_hadamard


def test_lines_are_mixed_by_the_orthogonal_hadamard_matrix() -> None:
    lines = np.random.default_rng(5).standard_normal((16, 512)).astype(np.float32)
    mixed = lines.copy()
    mix_hadamard(mixed.reshape(-1), 300)
    np.testing.assert_allclose(mixed[:, :300], hadamard(16) @ lines[:, :300] / 4, atol=1e-5)
    np.testing.assert_array_equal(mixed[:, 300:], lines[:, 300:])
