"""Several numbers at once: vectors of the processor as values inside kernels.

A recursion can't be spread over time, but those of the two sides, or of sixteen lines, run side by side in the
lanes of one register. Adding, subtracting and multiplying act lane by lane; a plain number stands for as many equal
ones. The vectors are LLVM's portable ones, so that they become whatever registers a processor has.
"""

import math
import operator
from collections.abc import Callable, Sequence
from typing import Any, TypeAlias

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic, models, overload, register_model
from numpy.typing import NDArray

Vector: TypeAlias = Any
"""Several numbers at once, as a kernel sees them: numba knows of which kind and how many."""

COUNT = 16
"""Vector of float32 that `load` reads and `store` writes."""

READ_ONLY = types.Array(types.float32, 1, "C", readonly=True)
"""One side of a sound in a kernel's signature, as stems on disk are; what may be written is taken, too."""

_LINE_BYTES = 64

_ELEMENTS = {types.float32: ir.FloatType(), types.float64: ir.DoubleType()}
_INDEX = ir.IntType(64)


def aligned(*shape: int) -> NDArray[np.float32]:
    """Return zeros that begin where a line of the cache does: sixteen numbers from a multiple of 16 on lie in one line, not in two."""
    count = math.prod(shape)
    room = np.zeros(count + COUNT, np.float32)
    first = -room.ctypes.data % _LINE_BYTES // room.itemsize
    return room[first : first + count].reshape(shape)


def whole_vectors(frames: int) -> int:
    """Return the next multiple of 16."""
    return -(-frames // COUNT) * COUNT


class _VectorType(types.Type):
    def __init__(self, element: types.Float, count: int) -> None:
        self.element, self.count = element, count
        super().__init__(f"Vector({count} x {element})")

    @property
    def vector(self) -> ir.VectorType:
        return ir.VectorType(_ELEMENTS[self.element], self.count)


def in_kernels(make: Callable[..., Any]) -> Any:
    """Make an intrinsic whose types only numba checks."""
    return intrinsic(make)


_NUMBERS = _VectorType(types.float32, COUNT)
_SIDES = _VectorType(types.float64, 2)
_BRANCHES = _VectorType(types.float64, 4)
_STAGES = _VectorType(types.float64, 8)


@register_model(_VectorType)
class _VectorModel(models.PrimitiveModel):
    def __init__(self, manager: Any, front_end_type: _VectorType) -> None:
        super().__init__(manager, front_end_type, front_end_type.vector)


def _filled(builder: Any, lanes: _VectorType, numbers: Sequence[Any]) -> Any:
    vector = ir.Constant(lanes.vector, ir.Undefined)
    for index, number in enumerate(numbers):
        vector = builder.insert_element(vector, number, ir.Constant(_INDEX, index))
    return vector


def _mask(*order: int) -> Any:
    return ir.Constant(ir.VectorType(ir.IntType(32), len(order)), list(order))


def everywhere(builder: Any, number: Any, count: int) -> Any:
    """Return a vector that has a number in every lane."""
    one = ir.Constant(ir.VectorType(number.type, count), ir.Undefined)
    one = builder.insert_element(one, number, ir.Constant(_INDEX, 0))
    return builder.shuffle_vector(one, one, _mask(*[0] * count))


def _act_on_each(operation: Callable[[Any, Any], Any], instruction: str) -> None:
    @in_kernels
    def act(_typing: Any, first: Any, second: Any) -> Any:
        lanes = first if isinstance(first, _VectorType) else second

        def generate(context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            def vector(kind: Any, value: Any) -> Any:
                if kind == lanes:
                    return value
                number = context.cast(builder, value, kind, lanes.element)
                return everywhere(builder, number, lanes.count)

            vectors = (vector(kind, value) for kind, value in zip((first, second), arguments, strict=True))
            return getattr(builder, instruction)(*vectors, flags=("contract",))

        return lanes(first, second), generate

    @overload(operation)
    def on_vectors(first, second):
        kinds = {first, second} - {k for k in (first, second) if isinstance(k, types.Number)}
        if len(kinds) == 1 and isinstance(kinds.pop(), _VectorType):
            return lambda first, second: act(first, second)
        return None


_act_on_each(operator.add, "fadd")
_act_on_each(operator.sub, "fsub")
_act_on_each(operator.mul, "fmul")


@in_kernels
def sides(_typing: Any, left: Any, right: Any) -> Any:
    """Return two float64 lanes, for the left and the right side."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return _filled(builder, _SIDES, arguments)

    return _SIDES(types.float64, types.float64), generate


@in_kernels
def side_of(_typing: Any, lanes: Any, side: Any) -> Any:
    """Return the number in the lane of a side, 0 or 1."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.extract_element(*arguments)

    return types.float64(lanes, types.int64), generate


def place_of(context: Any, builder: Any, array_type: Any, array: Any, at: Any, lanes: _VectorType = _NUMBERS) -> Any:
    """Return a pointer to as many numbers of a contiguous array as there are lanes, from its element `at` on."""
    numbers = context.make_array(array_type)(context, builder, array).data
    return builder.bitcast(builder.gep(numbers, [at]), lanes.vector.as_pointer())


def number_at(context: Any, builder: Any, array_type: Any, array: Any, at: int) -> Any:
    """Return one number of a contiguous array."""
    numbers = context.make_array(array_type)(context, builder, array).data
    return builder.load(builder.gep(numbers, [ir.Constant(_INDEX, at)]))


def read(builder: Any, place: Any) -> Any:
    """Return the lanes at a place, which may lie anywhere."""
    lanes = builder.load(place)
    lanes.align = 4
    return lanes


def write(builder: Any, lanes: Any, place: Any) -> None:
    """Write lanes to a place, which may lie anywhere."""
    builder.store(lanes, place).align = 4


def _loading(words: str, lanes: _VectorType) -> Any:
    """Make what reads as many numbers as there are lanes."""

    def make(_typing: Any, array: Any, at: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            return read(builder, place_of(context, builder, signature.args[0], *arguments, lanes=lanes))

        return lanes(array, types.int64), generate

    make.__doc__ = words
    return in_kernels(make)


def _storing(words: str, lanes: _VectorType) -> Any:
    """Make what writes all lanes."""

    def make(_typing: Any, array: Any, at: Any, numbers: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            place = place_of(context, builder, signature.args[0], *arguments[:2], lanes=lanes)
            write(builder, arguments[2], place)
            return context.get_dummy_value()

        return types.void(array, types.int64, numbers), generate

    make.__doc__ = words
    return in_kernels(make)


load = _loading("Return 16 numbers of a float32 array, (size,), from `at` on.", _NUMBERS)
store = _storing("Write 16 numbers to a float32 array, (size,), from `at` on.", _NUMBERS)
load_stages = _loading(
    "Return 8 numbers of a float64 array, (size,), from `at` on: left and right of the first of four stages, and so on.",
    _STAGES,
)
store_stages = _storing("Write both sides of four stages to a float64 array, (size,), from `at` on.", _STAGES)
load_branches = _loading(
    "Return 4 numbers of a float64 array, (size,), from `at` on: two branches of the left side, then of the right.",
    _BRANCHES,
)
store_branches = _storing("Write the branches of both sides to a float64 array, (size,), from `at` on.", _BRANCHES)


@in_kernels
def next_stages(_typing: Any, frame: Any, lanes: Any) -> Any:
    """Return what each stage takes: the first both sides of a frame, each other what the one before it gave."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        nothing = ir.Constant(_SIDES.vector, ir.Undefined)
        first = builder.shuffle_vector(arguments[0], nothing, _mask(0, 1, 2, 2, 2, 2, 2, 2))
        return builder.shuffle_vector(first, arguments[1], _mask(0, 1, 8, 9, 10, 11, 12, 13))

    return _STAGES(frame, lanes), generate


@in_kernels
def last_stage(_typing: Any, lanes: Any) -> Any:
    """Return both sides of what the last stage gave."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.shuffle_vector(arguments[0], arguments[0], _mask(6, 7))

    return _SIDES(lanes), generate


@in_kernels
def where(_typing: Any, condition: Any, first: Any, second: Any) -> Any:
    """Return the lanes of one vector where a condition's are not 0, else those of another."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        condition, first, second = arguments
        zeros = ir.Constant(condition.type, None)
        return builder.select(builder.fcmp_ordered("!=", condition, zeros), first, second)

    return first(condition, first, second), generate


def _rearrange(words: str, order: Sequence[int], kind: _VectorType = _BRANCHES) -> Any:
    """Make what takes numbers from one or two vectors in an order; those of the second count on from those of the first."""
    mask = _mask(*order)

    def one(_typing: Any, lanes: Any) -> Any:
        def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return builder.shuffle_vector(arguments[0], arguments[0], mask)

        return kind(lanes), generate

    def two(_typing: Any, first: Any, second: Any) -> Any:
        def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return builder.shuffle_vector(*arguments, mask)

        return kind(first, second), generate

    make = two if max(order) >= kind.count else one
    make.__doc__ = words
    return in_kernels(make)


first_twice = _rearrange("Return the first branch of each side in the place of both.", (0, 0, 2, 2))
second_twice = _rearrange("Return the second branch of each side in the place of both.", (1, 1, 3, 3))
swapped = _rearrange("Return the branches of each side in the other order.", (1, 0, 3, 2))
woven = _rearrange("Return the first branches of one vector with the second branches of another.", (0, 5, 2, 7))


@in_kernels
def branch(_typing: Any, lanes: Any, index: Any) -> Any:
    """Return the number in a lane, 0 to 3."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.extract_element(*arguments)

    return types.float64(lanes, types.int64), generate


@in_kernels
def both_branches(_typing: Any, left: Any, right: Any) -> Any:
    """Return a number for both branches of the left side, and one for those of the right."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        left, right = arguments
        return _filled(builder, _BRANCHES, [left, left, right, right])

    return _BRANCHES(types.float64, types.float64), generate


@in_kernels
def larger(_typing: Any, first: Any, second: Any) -> Any:
    """Return the larger magnitude of two vectors of 16 numbers, lane by lane."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        kind = ir.FunctionType(_NUMBERS.vector, [_NUMBERS.vector])
        magnitude_of = cgutils.get_or_insert_function(builder.module, kind, f"llvm.fabs.v{COUNT}f32")
        one, other = (builder.call(magnitude_of, [lanes]) for lanes in arguments)
        return builder.select(builder.fcmp_ordered(">", one, other), one, other)

    return _NUMBERS(first, second), generate


def _put_off(frames: int) -> Any:
    """Make what moves all numbers some lanes up, behind zeros."""
    mask = _mask(*(COUNT + n - frames if n >= frames else 0 for n in range(COUNT)))

    def make(_typing: Any, lanes: Any) -> Any:
        """Return the numbers some lanes later, zeros before them."""

        def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return builder.shuffle_vector(ir.Constant(_NUMBERS.vector, [0.0] * COUNT), arguments[0], mask)

        return _NUMBERS(lanes), generate

    return in_kernels(make)


one_later, two_later, four_later, eight_later = (_put_off(frames) for frames in (1, 2, 4, 8))


evens = _rearrange("Return every second number of two vectors, from the first on.", range(0, 2 * COUNT, 2), _NUMBERS)
odds = _rearrange("Return every second number of two vectors, from the second on.", range(1, 2 * COUNT, 2), _NUMBERS)
_FIRST_IN_TURN, _LAST_IN_TURN = ([first + n // 2 + COUNT * (n % 2) for n in range(COUNT)] for first in (0, COUNT // 2))
first_in_turn = _rearrange(
    "Return the first halves of two vectors, a number of each in turn.", _FIRST_IN_TURN, _NUMBERS
)
last_in_turn = _rearrange("Return the last halves of two vectors, a number of each in turn.", _LAST_IN_TURN, _NUMBERS)


@in_kernels
def last_of(_typing: Any, lanes: Any) -> Any:
    """Return the number in the last of 16 lanes."""

    def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.extract_element(arguments[0], ir.Constant(_INDEX, COUNT - 1))

    return types.float32(lanes), generate


def transposed(builder: Any, rows: Sequence[Any]) -> list[Any]:
    """Return the columns of a square of lanes: four times, rows half the square apart are woven into each other."""
    half = COUNT // 2
    halves = [_mask(*_FIRST_IN_TURN), _mask(*_LAST_IN_TURN)]
    for _ in range(4):
        rows = [builder.shuffle_vector(rows[r], rows[r + half], mask) for r in range(half) for mask in halves]
    return list(rows)


@in_kernels
def transpose(_typing: Any, source: Any, places: Any, at: Any, target: Any) -> Any:
    """Write 16 rows of 16 numbers, one from each of the places (16,) + `at` on, as columns: rows of the target, one behind the other.

    source and target are float32, (size,).
    """

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        array, starts, start, square = arguments
        rows = (builder.add(number_at(context, builder, places, starts, row), start) for row in range(COUNT))
        columns = transposed(builder, [read(builder, place_of(context, builder, source, array, row)) for row in rows])
        for column, lanes in enumerate(columns):
            write(builder, lanes, place_of(context, builder, target, square, ir.Constant(_INDEX, COUNT * column)))
        return context.get_dummy_value()

    return types.void(source, places, types.int64, target), generate
