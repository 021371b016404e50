"""What of a plane does not follow from other planes: least squares that outliers do not bend."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane

ROUNDS, SPREADS = 4, 2.0
MOST_SAMPLES = 30_000
MAD_TO_SIGMA = 1.4826
_RIDGE = 1e-6


def unexplained(
    plane: Plane, causes: Sequence[Plane], where: NDArray[np.bool_]
) -> tuple[Plane, float]:
    """(h, w): the plane minus what a linear fit of the causes says, and the spread of that.

    Iteratively reweighted least squares with weights 1 / max(1, |r| / 2 s)^2, s from the median
    absolute deviation. Source: Holland, Welsch 1977, "Robust regression using iteratively
    reweighted least-squares".

    Parameters
    ----------
    where : which pixels the fit goes by; at least one.
    """
    places = np.flatnonzero(where)
    places = places[:: max(1, len(places) // MOST_SAMPLES)]
    fitted = np.stack([np.ones(len(places)), *(cause.ravel()[places] for cause in causes)], 1)
    wanted = plane.ravel()[places].astype(np.float64)
    weight = np.ones(len(places))
    slopes = np.zeros(fitted.shape[1])
    spread = 0.0
    for _ in range(ROUNDS):
        weighed = fitted * weight[:, None]
        square = weighed.T @ fitted + _RIDGE * np.eye(fitted.shape[1])
        slopes = np.linalg.solve(square, weighed.T @ wanted)
        away = np.abs(wanted - fitted @ slopes)
        spread = MAD_TO_SIGMA * float(np.median(away)) + 1e-9
        weight = 1 / np.maximum(1, away / (SPREADS * spread)) ** 2
    rest = plane - np.float32(slopes[0])
    for slope, cause in zip(slopes[1:], causes, strict=True):
        rest -= np.float32(slope) * cause
    return rest, spread
