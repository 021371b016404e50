"""Sums of pixels as vectors of four floats; imported only by `compiled.py`.

The compiler does not see by itself that the four channels of a pixel can go together: this says so.
Five times as fast as the loops that it stands for.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir  # type: ignore[import-untyped]
from numba import float32, types
from numba.extending import intrinsic

_VECTOR = ir.VectorType(ir.FloatType(), 4)
_FAST = ("fast",)


@intrinsic  # type: ignore[untyped-decorator]
def weighted_6x6(  # noqa: PLR0913
    typing_context: Any, pixels: Any, first: Any, stride: Any, weights: Any, across: Any, down: Any  # noqa: ARG001
) -> Any:
    """Four floats: the sum of 6 x 6 pixels, by weights along and down.

    `pixels` is (h, w, 4) and `weights` (n, 6), float32 in one piece; `first` the index of the first
    float of the first pixel, `stride` the floats of a row; `across` and `down` the rows of weights.
    Nothing is checked here.
    """

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        data, table = (
            context.make_array(signature.args[n])(context, builder, arguments[n]).data
            for n in (0, 3)
        )
        _, place, step, _, along, below = arguments
        columns, rows = _weights(builder, table, along), _weights(builder, table, below)
        total = None
        for row in rows:
            line = None
            for n, column in enumerate(columns):
                at = builder.gep(data, [builder.add(place, ir.Constant(place.type, 4 * n))])
                pixel = builder.load(builder.bitcast(at, _VECTOR.as_pointer()), align=4)
                line = _added(builder, line, builder.fmul(pixel, column, flags=_FAST))
            total = _added(builder, total, builder.fmul(line, row, flags=_FAST))
            place = builder.add(place, step)
        n_index = ir.IntType(32)
        parts = [builder.extract_element(total, ir.Constant(n_index, n)) for n in range(4)]
        return context.make_tuple(builder, signature.return_type, parts)

    return types.UniTuple(float32, 4)(pixels, first, stride, weights, across, down), code


def _added(builder: Any, total: Any, term: Any) -> Any:
    return term if total is None else builder.fadd(total, term, flags=_FAST)


def _weights(builder: Any, table: Any, row: Any) -> list[Any]:
    """The six weights of a row, each as four floats alike."""
    first = builder.mul(row, ir.Constant(row.type, 6))
    zero, undefined = ir.Constant(ir.IntType(32), 0), ir.Constant(_VECTOR, ir.Undefined)
    everywhere = ir.Constant(ir.VectorType(ir.IntType(32), 4), [0, 0, 0, 0])
    found = []
    for n in range(6):
        at = builder.gep(table, [builder.add(first, ir.Constant(row.type, n))])
        one = builder.insert_element(undefined, builder.load(at), zero)
        found.append(builder.shuffle_vector(one, undefined, everywhere))
    return found
