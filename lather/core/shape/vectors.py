"""Sums of pixels as vectors of floats; imported only by `compiled.py`.

The compiler does not see by itself that the channels of neighbouring pixels can go together: this
says so. Several times as fast as the loops that it stands for.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir  # type: ignore[import-untyped]
from numba import float32, types
from numba.extending import intrinsic

_EIGHT = ir.VectorType(ir.FloatType(), 8)
_N_TAPS = 6
_FAST = ("fast",)


@intrinsic  # type: ignore[untyped-decorator]
def weighted_6x6(  # noqa: PLR0913
    typing_context: Any, pixels: Any, first: Any, stride: Any, along: Any, column: Any,  # noqa: ARG001
    down: Any, row: Any,
) -> Any:
    """Four floats: the sum of 6 x 6 pixels, by weights along and down.

    All arrays are float32 in one piece: `pixels` (h, w, 4), `along` (n, 24), each of six weights
    four times, `down` (n, 6). `first` is the index of the first float of the first pixel, `stride`
    the floats of a row of pixels; `column` and `row` say which weights. Nothing is checked here.
    """

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        data, wide, narrow = (
            context.make_array(signature.args[n])(context, builder, arguments[n]).data
            for n in (0, 3, 5)
        )
        _, place, step, _, column_at, _, row_at = arguments
        start = builder.mul(column_at, ir.Constant(column_at.type, 4 * _N_TAPS))
        # Two pixels at a time: eight floats.
        pairs = [_loaded(builder, wide, start, 8 * n) for n in range(_N_TAPS // 2)]
        begin = builder.mul(row_at, ir.Constant(row_at.type, _N_TAPS))
        total = None
        for n in range(_N_TAPS):
            line = None
            for m, weights in enumerate(pairs):
                pixel = _loaded(builder, data, place, 8 * m)
                line = _added(builder, line, builder.fmul(pixel, weights, flags=_FAST))
            weight = _everywhere(builder, narrow, begin, n)
            total = _added(builder, total, builder.fmul(line, weight, flags=_FAST))
            place = builder.add(place, step)
        halves = [
            builder.shuffle_vector(total, ir.Constant(_EIGHT, ir.Undefined),
                                   ir.Constant(ir.VectorType(ir.IntType(32), 4), lanes))
            for lanes in ([0, 1, 2, 3], [4, 5, 6, 7])
        ]  # fmt: skip
        four = builder.fadd(*halves, flags=_FAST)
        parts = [builder.extract_element(four, ir.Constant(ir.IntType(32), n)) for n in range(4)]
        return context.make_tuple(builder, signature.return_type, parts)

    signature = types.UniTuple(float32, 4)(pixels, first, stride, along, column, down, row)
    return signature, code


def _loaded(builder: Any, data: Any, place: Any, offset: int) -> Any:
    """Eight floats of an array."""
    at = builder.gep(data, [builder.add(place, ir.Constant(place.type, offset))])
    return builder.load(builder.bitcast(at, _EIGHT.as_pointer()), align=4)


def _everywhere(builder: Any, data: Any, place: Any, offset: int) -> Any:
    """One float of an array, eight times."""
    at = builder.gep(data, [builder.add(place, ir.Constant(place.type, offset))])
    undefined = ir.Constant(_EIGHT, ir.Undefined)
    one = builder.insert_element(undefined, builder.load(at), ir.Constant(ir.IntType(32), 0))
    lanes = ir.Constant(ir.VectorType(ir.IntType(32), 8), [0] * 8)
    return builder.shuffle_vector(one, undefined, lanes)


def _added(builder: Any, total: Any, term: Any) -> Any:
    return term if total is None else builder.fadd(total, term, flags=_FAST)
