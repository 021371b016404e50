"""Array types for the signatures of compiled kernels; imported only by `compiled.py` files.

`R_` arrays are only read, so they also take the frozen arrays of the document.
"""

from __future__ import annotations

from typing import Any

from numba import float32, types, uint8, uint16
from numba.core.imputils import impl_ret_borrowed
from numba.extending import intrinsic

R_PLANE = types.Array(float32, 2, "A", readonly=True)
R_FLOATS = types.Array(float32, 3, "A", readonly=True)
R_LATTICE = types.Array(float32, 4, "A", readonly=True)
R_PAIR = R_LATTICE  # two pictures of floats
R_BYTES = types.Array(uint8, 3, "A", readonly=True)
R_SAMPLES = types.Array(uint16, 3, "A", readonly=True)
R_MASK = types.Array(uint16, 2, "A", readonly=True)
W_PLANE = float32[:, :]
W_FLOATS = float32[:, :, :]
W_PAIR = float32[:, :, :, :]
W_BYTES = uint8[:, :, :]
W_SAMPLES = uint16[:, :, :]
W_MASK = uint16[:, :]

OPTIONS = {"cache": True, "nogil": True, "error_model": "numpy"}


@intrinsic  # type: ignore[untyped-decorator]
def packed(typing_context: Any, array: Any) -> Any:  # noqa: ARG001 - as the compiler wants it
    """The same array, known to lie in one piece: only then are loops over it vectorised.

    True for a row of whole pixels, whatever rectangle it was cut from; nothing checks it here.
    """

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return impl_ret_borrowed(context, builder, signature.return_type, arguments[0])

    return array.copy(layout="C")(array), code
