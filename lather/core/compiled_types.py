"""Array types for the signatures of compiled kernels; imported only by `compiled.py` files.

`R_` arrays are only read, so they also take the frozen arrays of the document.
"""

from __future__ import annotations

from numba import float32, types, uint8, uint16

R_PLANE = types.Array(float32, 2, "A", readonly=True)
R_FLOATS = types.Array(float32, 3, "A", readonly=True)
R_LATTICE = types.Array(float32, 4, "A", readonly=True)
R_BYTES = types.Array(uint8, 3, "A", readonly=True)
R_SAMPLES = types.Array(uint16, 3, "A", readonly=True)
R_MASK = types.Array(uint16, 2, "A", readonly=True)
W_PLANE = float32[:, :]
W_FLOATS = float32[:, :, :]
W_BYTES = uint8[:, :, :]
W_SAMPLES = uint16[:, :, :]
W_MASK = uint16[:, :]

OPTIONS = {"cache": True, "nogil": True, "error_model": "numpy"}
