"""Curves over encoded values: monotone, on all colours, each channel, or lightness alone."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.blend.modes import lum, set_lum
from lather.core.kernels import Kernel

N_STEPS = 4096  # of a table; between them straight
Table = NDArray[np.float32]  # (N_STEPS + 1,)
NO_TABLE: Table = np.zeros(1, dtype=np.float32)
NO_TABLES = NO_TABLE, NO_TABLE, NO_TABLE


def curve_through(points: Sequence[tuple[float, float]], at: NDArray[np.float64]) -> Table:
    """A curve through points, monotone wherever the points are; beyond them level.

    Cubic Hermite pieces with slopes after Fritsch, Carlson 1980 ("Monotone piecewise cubic
    interpolation"), harmonic means of the neighbours' (Fritsch, Butland 1984).

    Parameters
    ----------
    points : x rising, at least two.
    at : where its height is asked for.
    """
    xs, ys = np.array(points, dtype=np.float64).T
    steps, rises = np.diff(xs), np.diff(ys)
    secants = rises / steps
    slopes = np.empty(len(xs))
    slopes[0], slopes[-1] = secants[0], secants[-1]
    if len(xs) > 2:
        left, right = secants[:-1], secants[1:]
        weight = (steps[:-1] + 2 * steps[1:]) / (3 * (steps[:-1] + steps[1:]))
        with np.errstate(divide="ignore", invalid="ignore"):
            harmonic = left * right / (weight * right + (1 - weight) * left)
        slopes[1:-1] = np.where(left * right > 0, harmonic, 0)
    x = np.clip(at, xs[0], xs[-1])
    n = np.clip(np.searchsorted(xs, x, side="right") - 1, 0, len(steps) - 1)
    t, h = (x - xs[n]) / steps[n], steps[n]
    heights = (
        ys[n] * (1 + 2 * t) * (1 - t) ** 2 + h * slopes[n] * t * (1 - t) ** 2
        + ys[n + 1] * t**2 * (3 - 2 * t) + h * slopes[n + 1] * t**2 * (t - 1)
    )  # fmt: skip
    table: Table = heights.astype(np.float32)
    return table


def table_of(points: Sequence[tuple[float, float]]) -> Table:
    """The curve at N_STEPS + 1 places from 0 to 1; `NO_TABLE` for one that changes nothing."""
    if all(x == y for x, y in points) and points[0][0] == 0 and points[-1][0] == 1:
        return NO_TABLE
    return curve_through(points, np.linspace(0, 1, N_STEPS + 1))


def apply_curves(
    image: FloatImage, rgb: Table, channels: tuple[Table, Table, Table], lightness: Table
) -> None:
    """Curves on (H, W, 4) float32 encoded pixels, in place; alpha stays, and so does
    what is transparent.

    First `rgb` on every colour, then each channel's own, then lightness: all colours move by as
    much as the curve lifts the W3C's Lum, and are drawn together where they would leave 0-1.
    Values beyond 0-1 count as the end's.
    """
    tables = (rgb, *channels, lightness)
    if any(len(table) > 1 for table in tables):
        curves_kernel(image, *tables)


def _looked_up(table: Table, values: FloatImage) -> FloatImage:
    if len(table) == 1:
        return values
    place = np.clip(values, 0, 1) * np.float32(N_STEPS)
    low = np.minimum(place.astype(np.int64), N_STEPS - 1)
    found: FloatImage = table[low] + (place - low) * (table[low + 1] - table[low])
    return found.astype(np.float32)


def _curves_reference(
    image: FloatImage, rgb: Table, red: Table, green: Table, blue: Table, lightness: Table
) -> None:
    seen = image[..., 3] > 0
    colour = image[seen][:, :3]
    for channel, table in enumerate((red, green, blue)):
        colour[:, channel] = _looked_up(table, _looked_up(rgb, colour[:, channel]))
    image[seen, :3] = colour if len(lightness) == 1 else _with_lightness(colour, lightness)


def _with_lightness(colour: FloatImage, lightness: Table) -> FloatImage:
    """(N, 3) colours with another lightness."""
    drawn: FloatImage = set_lum(colour, _looked_up(lightness, lum(colour)))
    return np.clip(drawn, 0, 1).astype(np.float32)


curves_kernel = Kernel("lather.core.adjust.compiled", "curves", _curves_reference)
