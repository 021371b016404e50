"""Mend spot: another place's texture, set into the surrounding colour and light.

The source's pixels are taken whole; their difference from the surroundings, measured on the
rim, is carried across the spot by a membrane and added. What comes out has the source's
texture and grain and the target's colour and light. Method: Georgiev 2004 and Perez et al.
2003, with the rim difference averaged along the rim first, so that pores and grain on the
rim do not run into the mend as streaks.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import luma
from lather.core.mend.membrane import fill_membrane
from lather.core.mend.search import SUPPORT, Source, find_sources, reach_px
from lather.core.rect import Rect
from lather.errors import EditError

RIM_AVERAGE = 0.08  # of the spot's size
RIM_AVERAGE_PX = (1.2, 4.0)
FULL_FROM = 0.5  # share of the brush's opacity from which the mend covers fully
MODE_RAMP = 0.012  # luma difference over which 'lift darks' and 'tame brights' fade in


class MendMode(Enum):
    """Which differences a mend may change."""

    ALL = "all"
    LIFT_DARKS = "darks"
    TAME_BRIGHTS = "brights"


@dataclass(frozen=True)
class Mended:
    """The result: pixels to lay over `rect` (in the given image's coordinates)."""

    rect: Rect
    colour: FloatImage  # (h, w, 3)
    coverage: Plane  # (h, w) 0-1
    source: Source


def context_rect(selection: Rect, picture: Rect) -> Rect:
    """What `mend_spot` wants to see around a selection, clipped to the picture."""
    return selection.grown(reach_px(max(selection.width, selection.height))).intersect(picture)


def mend_spot(
    image: FloatImage,
    selection: Plane,
    *,
    opacity: float = 1.0,
    mode: MendMode = MendMode.ALL,
    avoid: NDArray[np.bool_] | None = None,
    source: Source | None = None,
) -> Mended:
    """Mend the selected spot of a picture.

    Parameters
    ----------
    image : (H, W, 3) float32 encoded RGB: the spot and its `context_rect`.
    selection : (H, W) float32, what the brush covered, up to `opacity`.
    opacity : the brush's opacity 0-1, by which full coverage is known.
    mode : lighten only, darken only, or both.
    avoid : (H, W) bool, places that must not be copied.
    source : where to take from; None finds the best.

    Raises
    ------
    EditError : nothing selected, or no usable source near by.
    """
    ys, xs = np.nonzero(selection > SUPPORT)
    if len(ys) == 0:
        raise EditError("Nothing was mended", "the brush did not touch the picture")
    if source is None:
        sources = find_sources(image, selection, avoid=avoid)
        if not sources:
            raise EditError(
                "Nothing was mended",
                "no clean place of this size lies near",
                "use a smaller brush or mend in parts",
            )
        source = sources[0]
    picture = Rect(0, 0, image.shape[1], image.shape[0])
    core = Rect(int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1)
    sigma_px = _rim_sigma_px(max(core.width, core.height))
    rect = core.grown(2 + round(2 * sigma_px)).intersect(picture)
    target = image[rect.slices]
    texture = _shifted(image, rect, source)
    inside = selection[rect.slices] > SUPPORT
    if inside.all():
        raise EditError(
            "Nothing was mended",
            "the brush covers the whole picture",
            "leave some skin around the spot",
        )
    colour = texture + _carried_difference(target - texture, inside, sigma_px)
    np.clip(colour, 0.0, 1.0, out=colour)
    coverage = np.minimum(selection[rect.slices] / FULL_FROM, np.float32(opacity))
    coverage = coverage * _mode_weight(luma(colour) - luma(target), mode)
    return Mended(rect, colour, coverage.astype(np.float32), source)


def _rim_sigma_px(size_px: int) -> float:
    low, high = RIM_AVERAGE_PX
    return min(max(RIM_AVERAGE * size_px, low), high)


def _shifted(image: FloatImage, rect: Rect, source: Source) -> FloatImage:
    """The source's pixels for `rect`; what would lie outside repeats the border."""
    rows = np.clip(np.arange(rect.y0, rect.y1) + source.dy, 0, image.shape[0] - 1)
    columns = np.clip(np.arange(rect.x0, rect.x1) + source.dx, 0, image.shape[1] - 1)
    taken: FloatImage = image[np.ix_(rows, columns)]
    return taken


def _carried_difference(
    difference: FloatImage, inside: NDArray[np.bool_], sigma_px: float
) -> FloatImage:
    """The rim's difference, averaged over known pixels only, carried inside by a membrane."""
    known = (~inside).astype(np.float32)
    weight = cv2.GaussianBlur(known, (0, 0), sigma_px)
    averaged = cv2.GaussianBlur(difference * known[..., None], (0, 0), sigma_px)
    averaged /= np.maximum(weight, 1e-6)[..., None]
    return fill_membrane(averaged, inside)


def _mode_weight(rise: Plane, mode: MendMode) -> Plane:
    """1 where the mode lets a change of light by `rise` through, 0 where not, soft between."""
    if mode is MendMode.ALL:
        return np.ones_like(rise)
    signed = rise if mode is MendMode.LIFT_DARKS else -rise
    return np.clip(signed / np.float32(MODE_RAMP), 0.0, 1.0)
