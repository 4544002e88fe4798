"""Vector against numpy: what is worked out side by side is what is worked out one by one."""

import numpy as np
import pytest
from numba import njit

from highhall.effects.vectors import COUNT, load, side_of, sides, store, transpose


@njit
def _shaped(a, b, out):
    store(out, 3, load(a, 2) * load(b, 1) + np.float32(0.5) * load(a, 0) - load(b, 0))


def test_lanes_add_subtract_and_multiply_one_by_one_with_each_other_and_with_numbers() -> None:
    rng = np.random.default_rng(1)
    a, b = rng.standard_normal((2, COUNT + 4)).astype(np.float32)
    out = np.zeros(COUNT + 4, np.float32)
    _shaped(a, b, out)
    expected = a[2:-2] * b[1:-3] + np.float32(0.5) * a[:-4] - b[:-4]
    assert out[3:-1] == pytest.approx(expected, abs=1e-6)
    assert not out[:3].any()
    assert out[-1] == 0


@njit
def _turned(source, stride, target):
    transpose(source, 5, stride, target, 7, COUNT + 1)


def test_a_square_is_transposed_from_and_to_any_rows() -> None:
    stride = 40
    source = np.random.default_rng(2).standard_normal(5 + COUNT * stride).astype(np.float32)
    target = np.zeros(7 + COUNT * (COUNT + 1), np.float32)
    _turned(source, stride, target)
    rows = source[5:].reshape(COUNT, stride)[:, :COUNT]
    columns = target[7:].reshape(COUNT, COUNT + 1)
    assert np.array_equal(columns[:, :COUNT], rows.T)
    assert not columns[:, COUNT].any()


@njit
def _summed(left, right):
    total = sides(0.0, 1.0)
    for n in range(left.shape[0]):
        total = 0.5 * total + sides(left[n], right[n])
    return side_of(total, 0), side_of(total, 1)


def test_both_sides_run_one_recursion_each() -> None:
    left, right = np.random.default_rng(3).standard_normal((2, 50))
    expected = [0.0, 1.0]
    for pair in zip(left, right, strict=True):
        expected = [0.5 * was + x for was, x in zip(expected, pair, strict=True)]
    assert _summed(left, right) == pytest.approx(expected, abs=1e-12)
