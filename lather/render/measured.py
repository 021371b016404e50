"""Pixels as all that is measured reads them: in sRGB, whatever the space of the photo."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.display import to_srgb
from lather.core.colour.labs import lab_of
from lather.core.rect import Rect
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.render.compositor import render


def measured_rgb(photo: Photo, pixels: FloatImage) -> FloatImage:
    """(h, w, 3): rendered (h, w, 3 or 4) pixels of a job on that photo, in sRGB 0-1."""
    return to_srgb(np.ascontiguousarray(pixels[..., :3], dtype=np.float32), photo.lattice)


def measured_lightness(photo: Photo, pixels: FloatImage) -> Plane:
    """(h, w): L* of rendered pixels of a job on that photo."""
    return np.ascontiguousarray(lab_of(measured_rgb(photo, pixels))[..., 0])


def render_measured(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 3): what all layers show of a rectangle of a mip level, in sRGB 0-1."""
    return measured_rgb(state.photo, render(state, rect, level))


def render_lightness(state: JobState, rect: Rect, level: int = 0) -> Plane:
    """(h, w): L* of what all layers show of a rectangle of a mip level."""
    return measured_lightness(state.photo, render(state, rect, level))
