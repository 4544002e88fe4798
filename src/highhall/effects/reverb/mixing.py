"""The mixing of the network's lines: what one loses the others get, so that the energy stays (see `network`)."""

from collections.abc import Sequence
from typing import Any

from llvmlite import ir
from numba import types

from highhall.effects.vectors import COUNT, everywhere, in_kernels, number_at, place_of, read, transposed, write

_QUARTER = 0.25


@in_kernels
def mix_and_feed(_typing: Any, square: Any, fed: Any, at: Any, inputs: Any, lines: Any, places: Any, to: Any) -> Any:
    """Multiply 16 frames of 16 lines by the orthogonal Hadamard matrix H16 / 4, add what is fed, and write them to the lines.

    square (256,): frame by frame. fed (sides, frames), from frame `at` on, at the gains inputs (2, 16): even lines hear the
    left side, odd ones the right. lines (size,): line by line, from places (16,) + `to` on. All but the places are float32.
    """

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        index = ir.IntType(64)
        kinds = dict(
            zip(
                ("square", "fed", "at", "inputs", "lines", "places", "to"),
                zip(signature.args, arguments, strict=True),
                strict=True,
            )
        )

        def place(name: str, row: int, start: Any) -> Any:
            kind, array = kinds[name]
            shape = context.make_array(kind)(context, builder, array).shape
            size = builder.extract_value(shape, kind.ndim - 1) if kind.ndim == 2 else ir.Constant(index, COUNT)
            return place_of(
                context, builder, kind, array, builder.add(builder.mul(size, ir.Constant(index, row)), start)
            )

        zero = ir.Constant(index, 0)
        rows = transposed(builder, [read(builder, place("square", frame, zero)) for frame in range(COUNT)])
        sides = [read(builder, place("fed", side, kinds["at"][1])) for side in range(2)]
        for line, lanes in enumerate(_mixed(builder, rows)):
            side = line % 2
            gain = builder.extract_element(read(builder, place("inputs", side, zero)), ir.Constant(index, line))
            heard = builder.fmul(everywhere(builder, gain, COUNT), sides[side], flags=("contract",))
            first = number_at(context, builder, *kinds["places"], line)
            there = place_of(context, builder, *kinds["lines"], builder.add(first, kinds["to"][1]))
            write(builder, builder.fadd(lanes, heard, flags=("contract",)), there)
        return context.get_dummy_value()

    return types.void(square, fed, types.int64, inputs, lines, places, types.int64), generate


def _mixed(builder: Any, rows: Sequence[Any]) -> list[Any]:
    """Return 16 vectors, one a line, multiplied by H16 / 4: four rounds of butterflies."""
    for distance in (1, 2, 4, 8):
        pairs = [(line, line ^ distance) for line in range(COUNT)]
        rows = [builder.fadd(rows[a], rows[b]) if a < b else builder.fsub(rows[b], rows[a]) for a, b in pairs]
    quarter = ir.Constant(rows[0].type, [_QUARTER] * COUNT)
    return [builder.fmul(lanes, quarter) for lanes in rows]
