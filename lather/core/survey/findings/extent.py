"""How far a spot reaches, with its soft surround, and what it measures."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.bounds import N_DIRECTIONS
from lather.core.colour.density import optical_density
from lather.core.colour.lab import srgb_to_lab
from lather.core.mend.rim import examine_rim, rim_points
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.spot import Spot

LOOKED_AT = 4.5  # radii around the spot
ENDS_AT = 0.12  # of the contrast: where the surround counts as plain
NOISE = 1.5  # or where it sinks into so many deviations of the skin around
MOST_RADII = 3.2  # a pimple's reddened surround reaches so far
UNLIKE_OTHERS = 1.3  # a direction that goes on further than this times the usual has met structure
PIMPLE_RADIUS_MM = 1.1
MARGIN_MM = 0.8  # the eye sees the rim longer than the numbers do


@dataclass(frozen=True)
class Extent:
    """What the place of a spot gives; lengths in pixels of the plane it was found on."""

    radii_px: tuple[float, ...]
    contrast_l: float
    contrast_a: float
    rim_broken: float  # share, 0-1
    edge_px: float  # width of the rim


def measure_extent(rgb: FloatImage, spot: Spot, mm_per_px: float) -> Extent:
    """The extent of a spot in `N_DIRECTIONS`, and its contrast in CIE L* and a*.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, as the spot was found on.
    """
    radius_px = math.sqrt(spot.area_px / math.pi)
    if spot.kind is Kind.BRIGHT:  # the head of a pimple that is larger
        radius_px = max(radius_px, PIMPLE_RADIUS_MM / mm_per_px)
    reach_px = LOOKED_AT * radius_px + 3
    picture = Rect(0, 0, rgb.shape[1], rgb.shape[0])
    rect = Rect.around(spot.x, spot.y, reach_px).intersect(picture)
    part = np.ascontiguousarray(rgb[rect.slices])
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    away = np.hypot(xs + 0.5 - spot.x, ys + 0.5 - spot.y)
    outer = away > MOST_RADII * radius_px
    rise = _rise(part, outer, max(0.6, 0.3 * radius_px))
    noise = 1.4826 * float(np.median(np.abs(rise[outer] - np.median(rise[outer]))))
    limit = max(ENDS_AT * float(rise[away <= radius_px].max()), NOISE * noise)
    radii = _radii(rise, spot.x - rect.x0, spot.y - rect.y0, radius_px, limit)
    lab = srgb_to_lab(part)
    inside = away <= radius_px
    difference = lab[inside].mean(0) - np.median(lab[outer], 0)
    margin_px = MARGIN_MM / mm_per_px
    whole = tuple(float(radius + margin_px) for radius in radii)
    wide = Rect.around(spot.x, spot.y, 1.5 * max(whole)).intersect(picture)
    points = rim_points(spot.x - wide.x0, spot.y - wide.y0, whole)
    rim = examine_rim(np.ascontiguousarray(rgb[wide.slices]), points)
    edge_px = _edge_width(rise, spot.x - rect.x0, spot.y - rect.y0, radius_px)
    return Extent(whole, float(difference[0]), float(difference[1]), rim.share, edge_px)


def _rise(part: FloatImage, outer: NDArray[np.bool_], sigma_px: float) -> Plane:
    """How much each pixel differs from the skin around, in darkness or redness."""
    density = optical_density(part)
    planes = [cv2.GaussianBlur(p, (0, 0), sigma_px) for p in (density.darkness, density.redness)]
    darker, redder = (plane - float(np.median(plane[outer])) for plane in planes)
    rise: Plane = np.maximum(np.abs(darker), np.abs(redder))
    return rise


def _edge_width(rise: Plane, x: float, y: float, radius_px: float) -> float:
    """From where the mean profile falls to 80 % of its height to where it falls to 20 %."""
    steps = np.arange(0.0, MOST_RADII * radius_px + 0.5, 0.5)
    profile = _outwards(rise, x, y, steps).mean(0)
    height = float(profile.max())
    high, low = (np.flatnonzero(profile < share * height) for share in (0.8, 0.2))
    first = next((n for n in high if n > int(np.argmax(profile))), len(steps) - 1)
    last = next((n for n in low if n > first), len(steps) - 1)
    return float(steps[last] - steps[first])


def _outwards(plane: Plane, x: float, y: float, steps: NDArray[np.float64]) -> Plane:
    """(directions, steps): the plane's values so many pixels from a point."""
    turns = 2 * math.pi * np.arange(N_DIRECTIONS) / N_DIRECTIONS
    map_x = (x - 0.5 + np.cos(turns)[:, None] * steps).astype(np.float32)
    map_y = (y - 0.5 + np.sin(turns)[:, None] * steps).astype(np.float32)
    values: Plane = cv2.remap(
        plane, map_x, map_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return values


def _radii(rise: Plane, x: float, y: float, radius_px: float, limit: float) -> NDArray[np.float64]:
    """Where the rise first sinks below the limit, per direction; outliers held back."""
    steps = np.arange(0.5 * radius_px, MOST_RADII * radius_px + 0.5, 0.5)
    below = _outwards(rise, x, y, steps) < limit
    first = np.where(below.any(1), below.argmax(1), len(steps) - 1)
    radii = steps[first]
    usual = float(np.median(radii))
    radii = np.clip(radii, 0.75 * usual, UNLIKE_OTHERS * usual)
    padded = np.concatenate([radii[-1:], radii, radii[:1]])
    smooth = (padded[:-2] + 2 * padded[1:-1] + padded[2:]) / 4
    longest: NDArray[np.float64] = np.maximum(smooth, radius_px)
    return longest
