"""Whether a finding still shows: what is left of its contrast."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.bounds import N_DIRECTIONS
from lather.core.colour.density import optical_density
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding

RING = 1.5  # of the reach: how far the skin around is looked at
GONE_BELOW = 0.4  # of the contrast it had


def looked_at(finding: Finding) -> Rect:
    """The pixels that `presence` needs."""
    if finding.path_px:
        return finding.rect.grown(round(4 * finding.reach_px) + 2)
    return Rect.around(finding.x, finding.y, RING * finding.reach_px + 2)


def presence(rgb: FloatImage, rect: Rect, finding: Finding) -> float:
    """How much the mark differs from the skin around, in optical density.

    Parameters
    ----------
    rgb : (h, w, 3+) float32 encoded RGB 0-1 of `rect`, which holds `looked_at(finding)` as far
        as the picture goes.
    """
    if finding.path_px:
        return _line_presence(rgb, rect, finding)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    away = np.hypot(xs + 0.5 - finding.x, ys + 0.5 - finding.y)
    mark = away <= max(1.0, finding.radius_px)
    ring = (away > finding.reach_px) & (away < RING * finding.reach_px + 2)
    return _difference(rgb, mark, ring)


def _line_presence(rgb: FloatImage, rect: Rect, finding: Finding) -> float:
    """The same for a line, against both of its sides."""
    core = replace(finding, extent_px=(max(1.0, 0.4 * finding.reach_px),) * N_DIRECTIONS)
    wide = replace(finding, extent_px=(3 * finding.reach_px,) * N_DIRECTIONS)
    mark = core.coverage(rect) > 0.5
    sides = (wide.coverage(rect) > 0.5) & (finding.coverage(rect) <= 0)
    return _difference(rgb, mark, sides)


def _difference(
    rgb: FloatImage, mark: NDArray[np.bool_], around: NDArray[np.bool_]
) -> float:
    """How much a mark differs from what is around it; 0 if there is nothing to compare."""
    if not mark.any() or not around.any():
        return 0.0
    density = optical_density(rgb[..., :3])
    return max(
        abs(float(plane[mark].mean() - np.median(plane[around])))
        for plane in (density.darkness, density.redness)
    )


def is_gone(before: float, after: float) -> bool:
    """True if what is left of a mark's presence is not worth mending."""
    return after < GONE_BELOW * before
