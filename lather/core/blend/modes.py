"""Blend modes as defined by the W3C, in NumPy: the readable form that others are held to.

Source: W3C Compositing and Blending Level 1, sections 9.1 and 9.2; linear-light is not in
that specification and means backdrop + 2 * source - 1. `cb` is the backdrop colour, `cs`
the source colour, both (..., 3) float 0-1, encoded RGB; results are clipped to 0-1.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum

import numpy as np

from lather.core.arrays import FloatImage

LUMINOSITY_WEIGHTS = np.array([0.3, 0.59, 0.11], dtype=np.float32)


class BlendMode(Enum):
    """Names as written in job files and shown in the window. Order is the kernels' code."""

    NORMAL = "normal"
    MULTIPLY = "multiply"
    SCREEN = "screen"
    OVERLAY = "overlay"
    DARKEN = "darken"
    LIGHTEN = "lighten"
    COLOR_DODGE = "color-dodge"
    COLOR_BURN = "color-burn"
    HARD_LIGHT = "hard-light"
    SOFT_LIGHT = "soft-light"
    DIFFERENCE = "difference"
    EXCLUSION = "exclusion"
    LINEAR_LIGHT = "linear-light"
    HUE = "hue"
    SATURATION = "saturation"
    COLOR = "color"
    LUMINOSITY = "luminosity"

    @property
    def code(self) -> int:
        """The number by which compiled kernels know this mode."""
        return _CODES[self]


_CODES = {mode: code for code, mode in enumerate(BlendMode)}


def blend(cb: FloatImage, cs: FloatImage, mode: BlendMode) -> FloatImage:
    """B(cb, cs) of the specification, before alpha comes in."""
    return np.clip(_FORMULAS[mode](cb, cs), 0.0, 1.0).astype(np.float32)


def _overlay(cb: FloatImage, cs: FloatImage) -> FloatImage:
    return _hard_light(cs, cb)


def _hard_light(cb: FloatImage, cs: FloatImage) -> FloatImage:
    return np.where(cs <= 0.5, cb * 2 * cs, cb + (2 * cs - 1) - cb * (2 * cs - 1))


def _color_dodge(cb: FloatImage, cs: FloatImage) -> FloatImage:
    quotient = np.minimum(1, cb / np.maximum(1 - cs, 1e-9))
    return np.where(cb <= 0, 0, np.where(cs >= 1, 1, quotient))


def _color_burn(cb: FloatImage, cs: FloatImage) -> FloatImage:
    quotient = 1 - np.minimum(1, (1 - cb) / np.maximum(cs, 1e-9))
    return np.where(cb >= 1, 1, np.where(cs <= 0, 0, quotient))


def _soft_light(cb: FloatImage, cs: FloatImage) -> FloatImage:
    d = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(np.maximum(cb, 0)))
    return np.where(
        cs <= 0.5, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (d - cb)
    )


def lum(c: FloatImage) -> FloatImage:
    """(..., 1): W3C's Lum of encoded colours (..., 3).

    No matrix product: its last bit depends on where a pixel lies in the array.
    """
    red, green, blue = (c[..., n] * share for n, share in enumerate(LUMINOSITY_WEIGHTS))
    light: FloatImage = (red + green + blue)[..., None]
    return light


def _sat(c: FloatImage) -> FloatImage:
    spread: FloatImage = (c.max(-1) - c.min(-1))[..., None]
    return spread


def set_lum(c: FloatImage, wanted: FloatImage) -> FloatImage:
    """Colours (..., 3) of another Lum (..., 1), drawn together where they would leave 0-1."""
    c = c + (wanted - lum(c))
    new_lum = lum(c)
    low, high = c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    below = new_lum + (c - new_lum) * new_lum / np.maximum(new_lum - low, 1e-9)
    c = np.where(low < 0, below, c)
    above = new_lum + (c - new_lum) * (1 - new_lum) / np.maximum(high - new_lum, 1e-9)
    return np.where(high > 1, above, c)


def _set_sat(c: FloatImage, sat: FloatImage) -> FloatImage:
    low, spread = c.min(-1, keepdims=True), _sat(c)
    return np.where(spread > 0, (c - low) * sat / np.maximum(spread, 1e-9), 0)


_FORMULAS: dict[BlendMode, Callable[[FloatImage, FloatImage], FloatImage]] = {
    BlendMode.NORMAL: lambda cb, cs: cs,  # noqa: ARG005
    BlendMode.MULTIPLY: lambda cb, cs: cb * cs,
    BlendMode.SCREEN: lambda cb, cs: cb + cs - cb * cs,
    BlendMode.OVERLAY: _overlay,
    BlendMode.DARKEN: np.minimum,
    BlendMode.LIGHTEN: np.maximum,
    BlendMode.COLOR_DODGE: _color_dodge,
    BlendMode.COLOR_BURN: _color_burn,
    BlendMode.HARD_LIGHT: _hard_light,
    BlendMode.SOFT_LIGHT: _soft_light,
    BlendMode.DIFFERENCE: lambda cb, cs: np.abs(cb - cs),
    BlendMode.EXCLUSION: lambda cb, cs: cb + cs - 2 * cb * cs,
    BlendMode.LINEAR_LIGHT: lambda cb, cs: cb + 2 * cs - 1,
    BlendMode.HUE: lambda cb, cs: set_lum(_set_sat(cs, _sat(cb)), lum(cb)),
    BlendMode.SATURATION: lambda cb, cs: set_lum(_set_sat(cb, _sat(cs)), lum(cb)),
    BlendMode.COLOR: lambda cb, cs: set_lum(cs, lum(cb)),
    BlendMode.LUMINOSITY: lambda cb, cs: set_lum(cb, lum(cs)),
}
