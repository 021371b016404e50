"""A line on the skin as a finding: how wide and long it is, and what it measures."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.bounds import N_DIRECTIONS
from lather.core.colour.lab import srgb_to_lab
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.core.survey.findings.lines import Line
from lather.core.survey.findings.trust import UNRESOLVED, certainty_of_line

SIGMAS_WIDE = 4.5  # what of its cross-section is mended
MARGIN_MM = 0.5
POINT_APART_MM = 1.0
SEVERE_Z = 15.0  # as for spots


def line_finding(
    rgb: FloatImage, line: Line, mm_per_px: float, scale: float, place: Rect
) -> Finding:
    """A line found on the reduced picture `rgb`, in pixels of the photo.

    Parameters
    ----------
    scale, place : the reduced picture is `place` of the photo, scaled.
    """
    width_px = SIGMAS_WIDE * line.sigma_px + MARGIN_MM / mm_per_px
    step = max(1, round(POINT_APART_MM / mm_per_px))
    path = _smoothed(line.path)
    points = np.vstack([path[:-1:step], path[-1:]]) / scale + (place.x0, place.y0)
    middle = points[len(points) // 2]
    contrast_l, contrast_a = _contrast(rgb, line, width_px)
    half_px = width_px / 2 / scale
    certainty = certainty_of_line(line.z, line.least_z)
    return Finding(
        id=0,
        kind=line.kind,
        x=float(middle[0]),
        y=float(middle[1]),
        radius_px=float(SIGMAS_WIDE * line.sigma_px / 2 / scale),
        diameter_mm=float(SIGMAS_WIDE * line.sigma_px * mm_per_px),
        contrast_l=contrast_l,
        contrast_a=contrast_a,
        severity=100 * (1 - float(np.exp(-line.z / SEVERE_Z))),
        rim_broken=0.0,
        extent_px=(half_px,) * N_DIRECTIONS,
        edge_px=float(1.2 * line.sigma_px / scale),
        path_px=tuple((float(x), float(y)) for x, y in points),
        length_mm=float(np.hypot(*np.diff(path, axis=0).T).sum() * mm_per_px),
        certainty=min(certainty, UNRESOLVED) if line.doubtful else certainty,
    )


def _smoothed(path: NDArray[np.float32]) -> NDArray[np.float32]:
    """Without the steps of the pixel grid; the ends stay."""
    if len(path) < 7:
        return path
    padded = np.pad(path, ((3, 3), (0, 0)), mode="edge")
    kernel = np.ones(7) / 7
    columns = [np.convolve(padded[:, axis], kernel, mode="valid") for axis in (0, 1)]
    smooth = np.column_stack(columns).astype(np.float32)
    smooth[0], smooth[-1] = path[0], path[-1]
    return smooth


def _contrast(rgb: FloatImage, line: Line, width_px: float) -> tuple[float, float]:
    """Mean difference of the line from its sides in CIE L* and a*."""
    low, high = np.floor(line.path.min(0)), np.ceil(line.path.max(0))
    margin = round(2 * width_px) + 2
    rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1).grown(margin)
    rect = rect.intersect(Rect(0, 0, rgb.shape[1], rgb.shape[0]))
    lab = srgb_to_lab(np.ascontiguousarray(rgb[rect.slices]))
    points = np.round(line.path - 0.5 - (rect.x0, rect.y0)).astype(np.int32)
    drawn = [np.zeros(lab.shape[:2], dtype=np.uint8) for _ in range(3)]
    for plane, width in zip(drawn, (1, width_px, 2.5 * width_px), strict=True):
        cv2.polylines(plane, [points], False, 1, max(1, round(width)))
    centre, sides = drawn[0] > 0, (drawn[2] > 0) & (drawn[1] == 0)
    if not centre.any() or not sides.any():
        return 0.0, 0.0
    difference = lab[centre].mean(0) - np.median(lab[sides], 0)
    return float(difference[0]), float(difference[1])
