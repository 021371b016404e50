"""How what is moved fades into what stays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def bell(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """1 at 0 and before, 0 from 1 on, level at both."""
    out: NDArray[np.float64] = (1 - np.clip(t, 0, 1) ** 2) ** 2
    return out
