"""The region lens: one part of the portrait as it is, all else dimmed and hatched."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.core.survey.region import Region
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.render.compositor import render

DIMMED = 0.35
HATCH_PERIOD_PX, HATCH_WIDTH_PX = 10, 2


def render_region(state: JobState, region: Region, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4): the picture, dim and hatched where it does not belong to the region."""
    out = render(state, rect, level)
    outside = (1 - region_coverage(state, region, rect, level))[..., None]
    ys = np.arange(rect.y0, rect.y1)[:, None]
    xs = np.arange(rect.x0, rect.x1)[None, :]
    line = ((xs + ys) % HATCH_PERIOD_PX < HATCH_WIDTH_PX)[..., None]
    grey = out[..., :3].mean(-1, keepdims=True)
    dim = DIMMED * grey + np.where(line, np.float32(0.12), np.float32(0))
    out[..., :3] += outside * (dim - out[..., :3])
    return out


def region_coverage(state: JobState, region: Region, rect: Rect, level: int = 0) -> Plane:
    """(h, w) 0-1: a region's mask over a rectangle of a mip level of the picture."""
    tiles = state.regions.masks.get(region)
    if tiles is None:
        return np.zeros((rect.height, rect.width), dtype=np.float32)
    import cv2

    step = state.regions.scale * (1 << level)
    # Where the centres of the view's pixels lie on the reduced picture, whose border repeats.
    width = max(1, round(state.photo.width * state.regions.scale))
    height = max(1, round(state.photo.height * state.regions.scale))
    xs = np.clip((np.arange(rect.x0, rect.x1) + 0.5) * step - 0.5, 0, width - 1)
    ys = np.clip((np.arange(rect.y0, rect.y1) + 0.5) * step - 0.5, 0, height - 1)
    part = Rect(int(xs[0]), int(ys[0]), int(xs[-1]) + 2, int(ys[-1]) + 2)
    small = read_plane(tiles, part.intersect(Rect(0, 0, width, height)))
    grid = np.meshgrid((xs - part.x0).astype("f4"), (ys - part.y0).astype("f4"))
    coverage: Plane = cv2.remap(
        small, grid[0], grid[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return coverage
