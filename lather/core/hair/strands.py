"""Strands: lines so thin that only hair has them."""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import blurred_within, disc
from lather.core.colour.density import optical_density

# Half of the widest line that counts: of strands that lie together, and of a single one, which is
# a tenth of a millimetre wide; a mark between strands is broader.
STRAND_MM, SINGLE_MM = 0.5, 0.25
AROUND_MM = 0.4  # sigma within which the skin beside a strand is taken
FAINT, CLEAR = 0.06, 0.14  # density above the skin beside: from nothing to a strand


def strand_share(rgb: FloatImage, mm_per_px: float) -> Plane:
    """(h, w) 0-1: how far pixels are strands of dark hair on skin.

    Parameters
    ----------
    rgb : (h, w, 3) float32 encoded RGB 0-1.
    """
    lines = thin_dark_lines(optical_density(rgb).darkness, mm_per_px, SINGLE_MM)
    return np.asarray(np.clip((lines - FAINT) / (CLEAR - FAINT), 0, 1), dtype=np.float32)


def without_strands(rgb: FloatImage, strands: Plane, px_per_mm: float) -> FloatImage:
    """(h, w, C) with the mean of the skin beside in the place of strands, (h, w) 0-1."""
    bare, sigma_px = 1 - strands, AROUND_MM * px_per_mm
    planes = (np.ascontiguousarray(rgb[..., n]) for n in range(rgb.shape[2]))
    skin = np.dstack([blurred_within(plane, bare, sigma_px)[0] for plane in planes])
    filled: FloatImage = rgb + strands[..., None] * (skin - rgb)
    return filled


def thin_dark_lines(darkness: Plane, mm_per_px: float, half_mm: float = STRAND_MM) -> Plane:
    """(h, w) how much darker each pixel is than where no thin line lies (black top hat).

    Parameters
    ----------
    darkness : (h, w) optical density.
    half_mm : half of the widest line that counts.
    """
    lines: Plane = darkness - without_thin_lines(darkness, mm_per_px, half_mm)
    return lines


def without_thin_lines(darkness: Plane, mm_per_px: float, half_mm: float = SINGLE_MM) -> Plane:
    """(h, w) the same where no thin dark line lies (opening)."""
    opened: Plane = cv2.morphologyEx(darkness, cv2.MORPH_OPEN, disc(half_mm / mm_per_px))
    return opened
