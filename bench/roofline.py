"""The five largest kernels against what the processor can do: its fused multiply-adds, and the bytes its caches give.

Work is counted from the kernels' formulas: floating-point operations (a fused multiply-add is two), and the bytes that their
inner loops load and store. Roofs are measured in the same round, by loops that do nothing else.

References
----------
S. Williams, A. Waterman, D. Patterson, "Roofline: an insightful visual performance model for multicore architectures",
Communications of the ACM 52(4), 2009.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from bench.common import RATE, SONG, in_turn
from numba import njit
from numpy.typing import NDArray

from highhall.curves import EffectCurves
from highhall.effects import CELL_FRAMES, Processor, processor_of
from highhall.effects.impulse.convolution import Convolver
from highhall.effects.reverb.design import structure_for
from highhall.effects.vectors import COUNT, load, store
from highhall.plan.edits import effect_of_kind
from highhall.render import BLOCK_FRAMES
from highhall.render.sources import AS_IT_IS, Sources

ROUNDS = 7
NOISE = (0.1 * np.random.default_rng(0).standard_normal((2, BLOCK_FRAMES))).astype(np.float32)
_CHAINS, _TURNS = 12, 100_000
_PARTITIONS = 18
_TRACKS, _BUSES = 16, 6
_BANDS = [{"shape": "bell", "hz": hz, "gain_db": -3} for hz in (120, 400, 2500, 9000)]


@dataclass(frozen=True, slots=True, kw_only=True)
class Roof:
    """What the processor can do at most: 10^9 operations or bytes a second."""

    name: str
    giga: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """A kernel: operations and bytes a frame, and 10^9 operations a second that it does, at `speed` times real time.

    waits: cycles that a frame waits for the one before, in a recursion.
    """

    name: str
    operations: float
    bytes: float
    giga: float
    speed: float
    waits: int = 0

    @property
    def intensity(self) -> float:
        """Operations a byte."""
        return self.operations / self.bytes


@njit(fastmath={"contract"})
def _multiply_and_add(numbers: NDArray[np.float32], turns: int) -> None:
    a = load(numbers, 0)
    b = load(numbers, COUNT)
    c0 = c1 = c2 = c3 = c4 = c5 = c6 = c7 = c8 = c9 = c10 = c11 = a
    for _ in range(turns):
        c0, c1, c2, c3 = c0 * a + b, c1 * a + b, c2 * a + b, c3 * a + b
        c4, c5, c6, c7 = c4 * a + b, c5 * a + b, c6 * a + b, c7 * a + b
        c8, c9, c10, c11 = c8 * a + b, c9 * a + b, c10 * a + b, c11 * a + b
    store(numbers, 0, (c0 + c1 + c2 + c3) + (c4 + c5 + c6 + c7) + (c8 + c9 + c10 + c11))


@njit(fastmath={"contract"})
def _read(numbers: NDArray[np.float32], turns: int) -> None:
    c0 = c1 = c2 = c3 = load(numbers, 0)
    for _ in range(turns):
        for n in range(0, numbers.shape[0] - 4 * COUNT + 1, 4 * COUNT):
            c0, c1 = c0 + load(numbers, n), c1 + load(numbers, n + COUNT)
            c2, c3 = c2 + load(numbers, n + 2 * COUNT), c3 + load(numbers, n + 3 * COUNT)
    store(numbers, 0, (c0 + c1) + (c2 + c3))


def _roofs() -> dict[str, tuple[float, Callable[[], object]]]:
    """Return by name the operations or bytes of a loop, and the loop."""
    found: dict[str, tuple[float, Callable[[], object]]] = {
        "multiply-adds": (
            2.0 * COUNT * _CHAINS * _TURNS,
            partial(_multiply_and_add, np.zeros(2 * COUNT, np.float32), _TURNS),
        )
    }
    for name, kib in (("first cache", 16), ("second cache", 512), ("memory", 1 << 18)):
        numbers = np.zeros(kib * 256, np.float32)
        turns = max((1 << 18) // kib, 1)
        found[name] = (4.0 * len(numbers) * turns, partial(_read, numbers, turns))
    return found


def _processor(kind: str, **params: object) -> Processor:
    return processor_of(EffectCurves(effect_of_kind(kind, "effect", params), SONG))


def _space() -> tuple[Point, Callable[[], object]]:
    params = {"space": "hall", "decay_s": 2.5}
    structure = structure_for(effect_of_kind("reverb", "effect", params), 2.5, RATE)
    reflections, stages = structure.reflections.delays.shape[1], structure.diffuser_lengths.shape[1]
    wandering = int((structure.wanders >= 0).sum())
    operations = {
        "shelves": 16 * 2 * 6, "mixing": 4 * 16 + 16 + 16 * 2, "outputs": 16 * 2 * 2, "all-passes": 2 * stages * 4,
        "reflections": 4 * reflections * 2, "wandering": wandering * 36, "high-pass": 2 * 5,
    }  # fmt: skip
    moved = {
        "lines read and written": 3 * 16, "outputs": 16, "transposed": 2 * 16, "shelves": 2 * 16, "mixed": 16,
        "all-passes": 2 * (2 * stages + 2), "reflections": 4 * (reflections + reflections // 2), "wandering": wandering * 5,
    }  # fmt: skip
    point = Point(
        name="a space", operations=sum(operations.values()), bytes=4 * sum(moved.values()), giga=0, speed=0, waits=4
    )
    return point, partial(_processor("reverb", **params).process, NOISE, 0)


def _products() -> tuple[Point, Callable[[], object]]:
    response = np.random.default_rng(1).standard_normal((2, _PARTITIONS * CELL_FRAMES)).astype(np.float32)
    transforms = 2 * 2 * 2.5 * 2 * math.log2(2 * CELL_FRAMES)  # forwards and back, two sides, twice as long as a cell
    operations = 2 * _PARTITIONS * 8 + transforms
    moved = 2 * 8 * (_PARTITIONS * 2 / 4 + 3 / 4 + 1) + 2 * 2 * 4 * 2 * 2
    point = Point(name="3 s of response, with its transforms", operations=operations, bytes=moved, giga=0, speed=0)
    return point, partial(Convolver(response).process, NOISE)


def _filters() -> tuple[Point, Callable[[], object]]:
    point = Point(name="4 filters", operations=2 * 4 * 9, bytes=16, giga=0, speed=0, waits=8)
    return point, partial(_processor("tone", bands=_BANDS).process, NOISE, 0)


def _echo() -> tuple[Point, Callable[[], object]]:
    point = Point(name="an echo", operations=2 * 5, bytes=2 * 4 * 8, giga=0, speed=0)
    return point, partial(_processor("echo", left="1/8.", right="1/4", feedback=0.4).process, NOISE, 0)


def _mixing() -> tuple[Point, Callable[[], object]]:
    sources = Sources()
    for track in range(_TRACKS):
        sources.hold(1, {(f"t{track}", "post"): AS_IT_IS})
    sources.begin(BLOCK_FRAMES)
    mix = sources.mix([{(f"t{track}", "post"): (0.5, 0.4) for track in range(_TRACKS)}] * _BUSES)
    sums = 2 * _BUSES
    point = Point(
        name=f"{_TRACKS} tracks into {_BUSES} returns",
        operations=sums * _TRACKS * 2,
        bytes=sums * _TRACKS * 6,
        giga=0,
        speed=0,
    )
    return point, partial(sources.mixed, mix)


def measured() -> tuple[list[Roof], list[Point]]:
    """Return the roofs and the five kernels, medians of rounds in turn."""
    roofs, kernels = _roofs(), [_space(), _products(), _filters(), _echo(), _mixing()]
    works = [*(work for _, work in roofs.values()), *(work for _, work in kernels)]
    seconds = np.median(in_turn(works, ROUNDS), axis=0)
    found = [
        Roof(name=name, giga=count / spent / 1e9)
        for (name, (count, _)), spent in zip(roofs.items(), seconds, strict=False)
    ]
    points = []
    for (point, _), spent in zip(kernels, seconds[len(roofs) :], strict=True):
        giga, speed = point.operations * BLOCK_FRAMES / spent / 1e9, BLOCK_FRAMES / RATE / spent
        points.append(replace(point, giga=giga, speed=speed))
    return found, points


def main() -> None:
    roofs, points = measured()
    for roof in roofs:
        print(f"{roof.name:40}{roof.giga:8.1f} G a second")
    for point in points:
        print(
            f"{point.name:40}{point.giga:8.1f} G operations a second, {point.intensity:.2f} a byte, {point.speed:.0f} x real time"
        )


if __name__ == "__main__":
    main()
