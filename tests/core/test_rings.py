"""Delay lines as rings: what was written some time ago is read, whatever the blocks."""

import numpy as np
import pytest
from numba import njit

from highhall.effects.reverb.rings import FIRST, HEARD, PLACE, REACH, SIZE, copy_frames, empty_rings, go_on, now_in

REACHES = np.array([700, 731, 1500])
WANDER, BLOCK = 40, 512


@njit
def _run(sounds, heard, lines, rings, delays, blocks):
    done = 0
    for count in blocks:
        for ring in range(len(delays)):
            copy_frames(lines, now_in(rings, ring) - delays[ring], heard[ring], done, count)
        for ring in range(len(delays)):
            copy_frames(sounds[ring], done, lines, rings[PLACE, ring], count)
        go_on(lines, rings, count)
        done += count


@pytest.mark.parametrize("delays", [REACHES, REACHES - WANDER])
@pytest.mark.parametrize("seed", range(4))
def test_what_comes_out_is_what_was_written_a_delay_ago(delays: np.ndarray, seed: int) -> None:
    rng = np.random.default_rng(seed)
    blocks = [BLOCK] * 40 if seed == 0 else rng.integers(1, BLOCK + 1, 80)
    frames = int(np.sum(blocks))
    sounds = rng.standard_normal((3, frames + 32)).astype(np.float32)
    heard = np.zeros((3, frames + 32), np.float32)
    lines, rings = empty_rings(REACHES, WANDER, BLOCK, 64)
    lines[:64] = 7
    _run(sounds, heard, lines, rings, delays, np.array(blocks))
    for ring, delay in enumerate(delays):
        late = np.concatenate([np.zeros(delay, np.float32), sounds[ring]])
        np.testing.assert_array_equal(heard[ring, :frames], late[:frames])
    assert (lines[:64] == 7).all()


def test_rings_lie_one_behind_the_other_and_are_longer_than_what_is_read() -> None:
    lines, rings = empty_rings(REACHES, WANDER, BLOCK, 0)
    assert (rings[SIZE] > rings[REACH]).all()
    assert (rings[FIRST, 1:] >= rings[FIRST, :-1] + rings[SIZE, :-1] + BLOCK + WANDER).all()
    assert rings[FIRST, -1] + rings[SIZE, -1] + BLOCK + WANDER <= len(lines)
    assert (rings[[PLACE, HEARD]] == rings[FIRST]).all()
    assert (rings % 16 == 0)[[FIRST, SIZE]].all()
