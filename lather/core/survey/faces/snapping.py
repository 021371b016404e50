"""Where a dragged face handle was meant to be: on the pupil, the mouth's corner, the face's rim."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.density import optical_density
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import PUPIL_DISTANCE_MM, FaceGeometry, Point

IRIS_DIAMETER_MM = 11.7
WINDOW = 0.16  # how far a handle snaps, in pupil distances
LEAST_PX = 4.0
LEAST_EDGE = 0.05  # density per step: fainter rims attract nothing


def snapped(
    read: Callable[[Rect], FloatImage],
    picture: Rect,
    face: FaceGeometry,
    name: str,
    at: Point,
) -> Point:
    """The place a handle snaps to when it is let go at `at`; `at` itself where nothing attracts.

    Pupils go to the middle of the darkest disc of an iris's size, mouth corners to the end of the
    dark line between the lips, chin and temples to the strongest edge outwards from the face. The
    nose tip stays where it was put.

    Parameters
    ----------
    read : gives float32 encoded RGB of a rectangle of the picture.
    """
    distance_px = face.pupil_distance_px
    rect = Rect.around(*at, max(LEAST_PX, 2.2 * WINDOW * distance_px)).intersect(picture)
    if rect.width < 8 or rect.height < 8 or name == "nose_tip":
        return at
    darkness = optical_density(np.ascontiguousarray(read(rect)[..., :3])).darkness
    local = at[0] - rect.x0, at[1] - rect.y0
    reach_px = max(LEAST_PX, WINDOW * distance_px)
    if name.startswith("pupil"):
        found = darkest_disc(
            -darkness, *local, distance_px * IRIS_DIAMETER_MM / PUPIL_DISTANCE_MM, reach_px
        )
    elif name.startswith("mouth"):
        found = _line_end(darkness, local, _outwards(face, name), reach_px)
    else:
        found = _rim(darkness, local, _outwards(face, name), reach_px)
    return found[0] + rect.x0, found[1] + rect.y0


def darkest_disc(
    light: Plane, x: float, y: float, diameter_px: float, reach_px: float
) -> Point:
    """The centre of the darkest disc within reach of a point."""
    side = max(3, round(diameter_px))
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)).astype(np.float32)
    means = cv2.filter2D(light, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REPLICATE)
    ys, xs = np.mgrid[: light.shape[0], : light.shape[1]]
    means[np.hypot(xs + 0.5 - x, ys + 0.5 - y) > reach_px] = np.inf
    row, column = np.unravel_index(int(np.argmin(means)), means.shape)
    return float(column + 0.5), float(row + 0.5)


def _outwards(face: FaceGeometry, name: str) -> Point:
    """The unit vector from the middle of the face to where a handle belongs."""
    (ox, oy), (ax, ay) = face.at(0, 0), face.at(1, 0)
    across = np.array([ax - ox, ay - oy]) / max(face.pupil_distance_px, 1e-6)
    down = np.array([-across[1], across[0]])
    if name == "chin":
        return float(down[0]), float(down[1])
    sign = 1.0 if name.endswith("left") else -1.0
    return float(sign * across[0]), float(sign * across[1])


def _line_end(darkness: Plane, at: Point, outwards: Point, reach_px: float) -> Point:
    """The outermost point of what is as dark as the line between the lips."""
    sigma_px = max(1.0, 0.06 * reach_px)
    smooth = cv2.GaussianBlur(darkness, (0, 0), sigma_px)
    local = smooth - cv2.GaussianBlur(darkness, (0, 0), 5 * sigma_px)
    ys, xs = np.mgrid[: darkness.shape[0], : darkness.shape[1]] + 0.5
    near = np.hypot(xs - at[0], ys - at[1]) < reach_px
    if not near.any() or float(local[near].max()) < LEAST_EDGE:
        return at
    dark = near & (local > 0.4 * local[near].max())
    along = (xs - at[0]) * outwards[0] + (ys - at[1]) * outwards[1]
    # Along the line outwards, but not so far that something else is meant.
    score = np.where(dark, along - 0.3 * np.hypot(xs - at[0], ys - at[1]), -np.inf)
    row, column = np.unravel_index(int(np.argmax(score)), score.shape)
    return float(column + 0.5), float(row + 0.5)


def _rim(darkness: Plane, at: Point, outwards: Point, reach_px: float) -> Point:
    """The strongest edge on the way outwards."""
    smooth = cv2.GaussianBlur(darkness, (0, 0), max(1.0, 0.08 * reach_px))
    steps = np.arange(-reach_px, reach_px, 0.5)
    map_x = (at[0] - 0.5 + steps * outwards[0]).astype(np.float32)[None]
    map_y = (at[1] - 0.5 + steps * outwards[1]).astype(np.float32)[None]
    profile = cv2.remap(smooth, map_x, map_y, cv2.INTER_LINEAR,
                        borderMode=cv2.BORDER_REPLICATE)[0]  # fmt: skip
    slope = np.abs(np.gradient(profile)) * (1 - 0.5 * np.abs(steps) / reach_px)
    best = int(np.argmax(slope))
    if slope[best] < LEAST_EDGE / 4:
        return at
    return at[0] + steps[best] * outwards[0], at[1] + steps[best] * outwards[1]
