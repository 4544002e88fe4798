"""Vectors of the processor against their plain twin: the same kernel, run on both, gives the same numbers."""

from types import ModuleType
from typing import Any

import numpy as np
import pytest
from numba import njit

from highhall.effects import vectors
from highhall.effects.denormals import flush_denormals, restore_denormals
from tests.core import plain_vectors

COUNT = vectors.COUNT


def both(kernel: Any, *arguments: Any) -> tuple[Any, Any]:
    """Run a kernel compiled with vectors, and as plain Python with the twin; return both results and written arrays."""
    results = []
    for library in (vectors, plain_vectors):
        copies = [each.copy() if isinstance(each, np.ndarray) else each for each in arguments]
        results.append((kernel(library)(*copies), copies))
    return results[0], results[1]


def compiled_if_vectors(library: ModuleType, function: Any) -> Any:
    return njit(function) if library is vectors else function


def shaping(library: ModuleType) -> Any:
    load, store = library.load, library.store

    def shaped(a, b, out):
        store(out, 3, load(a, 2) * load(b, 1) + np.float32(0.5) * load(a, 0) - load(b, 0))

    return compiled_if_vectors(library, shaped)


def turning(library: ModuleType) -> Any:
    transpose = library.transpose

    def turned(source, places, target):
        transpose(source, places, 5, target)

    return compiled_if_vectors(library, turned)


def recursion(library: ModuleType) -> Any:
    sides, side_of = library.sides, library.side_of

    def summed(left, right):
        total = sides(0.0, 1.0)
        for n in range(left.shape[0]):
            total = 0.5 * total + sides(left[n], right[n])
        return side_of(total, 0), side_of(total, 1)

    return compiled_if_vectors(library, summed)


def branching(library: ModuleType) -> Any:
    both_branches, branch, woven, swapped = library.both_branches, library.branch, library.woven, library.swapped
    first_twice, second_twice = library.first_twice, library.second_twice
    load_branches, store_branches = library.load_branches, library.store_branches

    def branched(source, out):
        lanes, fed = load_branches(source, 1), both_branches(source[0], source[5])
        store_branches(out, 0, first_twice(lanes) + 2.0 * second_twice(lanes))
        store_branches(out, 4, woven(lanes, fed) - 3.0 * swapped(lanes))
        out[8] = branch(lanes, 3)

    return compiled_if_vectors(library, branched)


def staging(library: ModuleType) -> Any:
    load_stages, store_stages, sides, side_of = (
        library.load_stages,
        library.store_stages,
        library.sides,
        library.side_of,
    )
    next_stages, last_stage, where = library.next_stages, library.last_stage, library.where

    def staged(source, out):
        lanes = load_stages(source, 1)
        store_stages(out, 0, next_stages(sides(source[0], source[10]), lanes))
        store_stages(out, 8, where(load_stages(source, 9), lanes, 2.0 * lanes))
        out[16], out[17] = side_of(last_stage(lanes), 0), side_of(last_stage(lanes), 1)

    return compiled_if_vectors(library, staged)


def putting_off(library: ModuleType) -> Any:
    load, store, last_of = library.load, library.store, library.last_of
    one, two, four, eight = library.one_later, library.two_later, library.four_later, library.eight_later

    def put_off(source, out):
        lanes = load(source, 1)
        store(out, 0, one(lanes) + two(lanes))
        store(out, COUNT, four(lanes) - eight(lanes))
        return last_of(lanes)

    return compiled_if_vectors(library, put_off)


def taking_turns(library: ModuleType) -> Any:
    load, store, evens, odds = library.load, library.store, library.evens, library.odds
    first_in_turn, last_in_turn = library.first_in_turn, library.last_in_turn

    def taken(source, out):
        some, more = load(source, 0), load(source, COUNT)
        store(out, 0, evens(some, more))
        store(out, COUNT, odds(some, more))
        store(out, 2 * COUNT, first_in_turn(some, more))
        store(out, 3 * COUNT, last_in_turn(some, more))

    return compiled_if_vectors(library, taken)


def test_vectors_add_subtract_and_multiply_as_their_twin_does() -> None:
    a, b = np.random.default_rng(1).standard_normal((2, COUNT + 4)).astype(np.float32)
    (_, fast), (_, plain) = both(shaping, a, b, np.zeros(COUNT + 4, np.float32))
    assert fast[2] == pytest.approx(plain[2], abs=1e-6)
    assert not plain[2][:3].any()


def test_a_square_is_transposed_as_the_twin_does() -> None:
    source = np.random.default_rng(2).standard_normal(5 + COUNT * 40).astype(np.float32)
    (_, fast), (_, plain) = both(turning, source, np.arange(COUNT) * 40, np.zeros(COUNT * COUNT, np.float32))
    assert np.array_equal(fast[2], plain[2])
    assert np.array_equal(fast[2].reshape(COUNT, COUNT), source[5:].reshape(COUNT, 40)[:, :COUNT].T)


def test_frames_are_put_off_behind_zeros_as_the_twin_does() -> None:
    source = np.random.default_rng(5).standard_normal(COUNT + 1).astype(np.float32)
    (fast, [_, of_fast]), (plain, [_, of_plain]) = both(putting_off, source, np.ones(2 * COUNT, np.float32))
    assert fast == plain == source[COUNT]
    np.testing.assert_array_equal(of_fast, of_plain)
    np.testing.assert_array_equal(of_plain[:3], [0, source[1], source[2] + source[1]])


def test_both_sides_run_one_recursion_each_as_the_twin_does() -> None:
    left, right = np.random.default_rng(3).standard_normal((2, 50))
    (fast, _), (plain, _) = both(recursion, left, right)
    assert fast == pytest.approx(plain, abs=1e-12)


def test_branches_of_both_sides_are_rearranged_as_the_twin_does() -> None:
    source = np.random.default_rng(4).standard_normal(6)
    (_, fast), (_, plain) = both(branching, source, np.zeros(9))
    assert fast[1] == pytest.approx(plain[1], abs=1e-12)
    assert plain[1][8] == source[4]


def decaying(value, halvings):
    for _ in range(halvings):
        value *= np.float32(0.5)
    return value


def flushed(value, halvings):
    old = flush_denormals()
    result = _compiled_decay(value, halvings)
    restore_denormals(old)
    return result


_compiled_decay = njit(decaying)
_compiled_flush = njit(flushed)


@pytest.mark.parametrize("halvings", [10, 100, 125])
def test_flushing_changes_no_bit_of_numbers_that_are_not_denormal(halvings: int) -> None:
    assert _compiled_flush(np.float32(1), halvings) == decaying(np.float32(1), halvings) > 0


def test_what_is_denormal_becomes_zero_and_only_between_flush_and_restore() -> None:
    denormal = decaying(np.float32(1), 140)
    assert 0 < denormal < np.finfo(np.float32).tiny
    assert _compiled_flush(np.float32(1), 140) in (0, denormal)  # nothing is flushed on other processors than x86
    assert _compiled_decay(np.float32(1), 140) == denormal, "the register is as it was"


def test_stages_hear_one_another_as_their_twin_says() -> None:
    source = np.arange(1.0, 18.0)
    source[[10, 13]] = 0
    (_, [_, fast]), (_, [_, plain]) = both(staging, source, np.zeros(18))
    np.testing.assert_array_equal(fast, plain)
    np.testing.assert_array_equal(fast[:8], [1, 0, 2, 3, 4, 5, 6, 7])
    np.testing.assert_array_equal(fast[8:16] / source[1:9], [1, 2, 1, 1, 2, 1, 1, 1])
    np.testing.assert_array_equal(fast[16:], [8, 9])


def test_numbers_of_two_vectors_are_taken_in_turn_as_the_twin_does() -> None:
    source = np.arange(2 * COUNT, dtype=np.float32)
    (_, [_, fast]), (_, [_, plain]) = both(taking_turns, source, np.zeros(4 * COUNT, np.float32))
    np.testing.assert_array_equal(fast, plain)
    np.testing.assert_array_equal(fast[: 2 * COUNT], [*source[::2], *source[1::2]])
    np.testing.assert_array_equal(fast[2 * COUNT :].reshape(-1, 2), source.reshape(2, -1).T)
