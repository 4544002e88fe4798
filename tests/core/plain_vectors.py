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


def transpose(source: np.ndarray, places: np.ndarray, at: int, target: np.ndarray) -> None:
    target[: COUNT * COUNT] = np.stack([source[place + at :][:COUNT] for place in places]).T.reshape(-1)


def load_stages(array: np.ndarray, at: int) -> np.ndarray:
    return array[at : at + 8].copy()


def store_stages(array: np.ndarray, at: int, vector: np.ndarray) -> None:
    array[at : at + 8] = vector


def next_stages(frame: np.ndarray, vector: np.ndarray) -> np.ndarray:
    return np.concatenate([frame, vector[:-2]])


def last_stage(vector: np.ndarray) -> np.ndarray:
    return vector[-2:]


def where(condition: np.ndarray, first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.where(condition != 0, first, second)


def load_branches(array: np.ndarray, at: int) -> np.ndarray:
    return array[at : at + 4].copy()


def store_branches(array: np.ndarray, at: int, vector: np.ndarray) -> None:
    array[at : at + 4] = vector


def both_branches(left: float, right: float) -> np.ndarray:
    return np.array([left, left, right, right])


def branch(vector: np.ndarray, index: int) -> float:
    return float(vector[index])


def first_twice(vector: np.ndarray) -> np.ndarray:
    return vector[[0, 0, 2, 2]]


def second_twice(vector: np.ndarray) -> np.ndarray:
    return vector[[1, 1, 3, 3]]


def swapped(vector: np.ndarray) -> np.ndarray:
    return vector[[1, 0, 3, 2]]


def woven(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.array([first[0], second[1], first[2], second[3]])


def larger(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.maximum(np.abs(first), np.abs(second))


def _put_off(vector: np.ndarray, frames: int) -> np.ndarray:
    return np.concatenate([np.zeros(frames, vector.dtype), vector[:-frames]])


def one_later(vector: np.ndarray) -> np.ndarray:
    return _put_off(vector, 1)


def two_later(vector: np.ndarray) -> np.ndarray:
    return _put_off(vector, 2)


def four_later(vector: np.ndarray) -> np.ndarray:
    return _put_off(vector, 4)


def eight_later(vector: np.ndarray) -> np.ndarray:
    return _put_off(vector, 8)


def evens(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.concatenate([first, second])[::2]


def odds(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.concatenate([first, second])[1::2]


def first_in_turn(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.stack([first, second], axis=1).reshape(-1)[:COUNT]


def last_in_turn(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.stack([first, second], axis=1).reshape(-1)[COUNT:]


def last_of(vector: np.ndarray) -> np.float32:
    return np.float32(vector[-1])
