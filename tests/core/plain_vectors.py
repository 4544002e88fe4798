"""A plain twin of `highhall.effects.vectors`: the same names, with numpy arrays for what a register holds."""

import numpy as np

COUNT = 16


def load(array: np.ndarray, at: int) -> np.ndarray:
    return array[at : at + COUNT].copy()


def store(array: np.ndarray, at: int, vector: np.ndarray) -> None:
    array[at : at + COUNT] = vector


def sides(left: float, right: float) -> np.ndarray:
    return np.array([left, right], np.float64)


def side_of(vector: np.ndarray, side: int) -> float:
    return float(vector[side])


def transpose(source: np.ndarray, at: int, stride: int, target: np.ndarray, to: int, target_stride: int) -> None:
    square = np.stack([source[at + row * stride :][:COUNT] for row in range(COUNT)])
    for row in range(COUNT):
        target[to + row * target_stride :][:COUNT] = square[:, row]
