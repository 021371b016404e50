"""Strands: lines so thin that only hair has them."""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.arrays import Plane
from lather.core.blur import disc

STRAND_MM = 0.5  # half of the widest line that counts; a hair is a tenth of a millimetre wide


def thin_dark_lines(darkness: Plane, mm_per_px: float) -> Plane:
    """(h, w) how much darker each pixel is than where no thin line lies (black top hat).

    Parameters
    ----------
    darkness : (h, w) optical density.
    """
    opened = cv2.morphologyEx(darkness, cv2.MORPH_OPEN, disc(STRAND_MM / mm_per_px))
    lines: Plane = darkness - np.minimum(opened, darkness)
    return lines
