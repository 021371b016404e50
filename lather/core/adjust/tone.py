"""Brightness and contrast, exposure and warmth: as tables, which the curves' kernel applies."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lather.core.adjust.curves import N_STEPS, NO_TABLE, Table
from lather.core.colour.lab import D65, LIGHTNESS_WEIGHTS, WHITE_TO_SRGB, to_encoded, to_linear

DAYLIGHT_MIRED = 1e6 / 6504


@lru_cache(maxsize=16)
def brightness_table(brightness: float, contrast: float, pivot: float) -> Table:
    """Encoded values; black and white stay, and a brighter value stays brighter.

    Brightness b in -1 to 1 moves along v + b v (1 - v). Contrast c in -1 to 1 then raises the
    distance from the end on each side of the pivot (0-1) to the power 4**c, the slope at it.
    """
    if brightness == 0 and contrast == 0:
        return NO_TABLE
    v = np.linspace(0, 1, N_STEPS + 1)
    v = v + brightness * v * (1 - v)
    power = 4.0**contrast
    low = pivot * np.clip(v / pivot, 0, 1) ** power
    high = 1 - (1 - pivot) * np.clip((1 - v) / (1 - pivot), 0, 1) ** power
    table: Table = np.where(v < pivot, low, high).astype(np.float32)
    return table


@lru_cache(maxsize=16)
def exposure_tables(*gains: float) -> tuple[Table, Table, Table]:
    """Red, green and blue times gains of linear light, as sRGB encodes it."""
    linear = to_linear(np.linspace(0, 1, N_STEPS + 1))
    red, green, blue = (
        NO_TABLE if gain == 1 else to_encoded(np.clip(gain * linear, 0, 1)).astype(np.float32)
        for gain in gains
    )
    return red, green, blue


def light_gains(
    exposure_ev: float, warmth_mired: float, tint_percent: float
) -> NDArray[np.float64]:
    """(3,) gains of linear red, green and blue.

    Warmth is how many mired the light moves from daylight's 6,504 K towards a flame's, along the
    black body's colours (Kim et al. 2002); tint takes green away, or adds it. Both keep a
    grey's light.
    """
    gains = np.ones(3)
    if warmth_mired or tint_percent:
        gains = _black_body(DAYLIGHT_MIRED + warmth_mired) / _black_body(DAYLIGHT_MIRED)
        gains[1] *= 2 ** (-tint_percent / 100)
        gains /= gains @ LIGHTNESS_WEIGHTS
    lit: NDArray[np.float64] = gains * 2.0**exposure_ev
    return lit


def grey_from(rgb: NDArray[np.floating]) -> tuple[float, float]:
    """Warmth in mired and tint in percent that make an encoded colour grey, as near as -100 to
    100 of each allow."""
    linear = np.maximum(to_linear(np.asarray(rgb, dtype=np.float64)), 1e-5)
    mired = np.linspace(-100, 100, 401)
    shares = np.array([_black_body(DAYLIGHT_MIRED + m) for m in mired])
    shares /= _black_body(DAYLIGHT_MIRED)
    # Red against blue says how warm; what green is off by then is the tint.
    off = np.abs(np.log(shares[:, 0] / shares[:, 2]) + np.log(linear[0] / linear[2]))
    best = int(np.argmin(off))
    warmth, gains = float(mired[best]), shares[best]
    evened = gains * linear
    tint = 100 * float(np.log2(evened[1] / np.sqrt(evened[0] * evened[2])))
    return warmth, float(np.clip(tint, -100, 100))


def _black_body(mired: float) -> NDArray[np.float64]:
    """Linear sRGB of a black body's light, of brightness 1."""
    t = 1e6 / mired
    if t < 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t < 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t < 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    white = np.array([x / y, 1.0, (1 - x - y) / y]) / D65
    return np.asarray(WHITE_TO_SRGB @ white, dtype=np.float64)
