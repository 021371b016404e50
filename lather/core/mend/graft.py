"""Graft: an outlined area takes all of its structure from another place, lit as its surround.

The source is laid over the area and the difference along the rim is carried across it by a
membrane: edges, folds and pores of the source stay, colour and light meet the surround.
Source: Perez, Gangnet, Blake 2003, "Poisson Image Editing", in the membrane form of Georgiev
2004; the difference is averaged along the rim, so that grain does not run in as streaks.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import blurred
from lather.core.colour.lab import luma
from lather.core.mend.membrane import fill_membrane
from lather.core.mend.mode import MendMode, mode_weight
from lather.core.mend.placement import Placement, Read, read_placed
from lather.core.mend.result import Avoid, Mended
from lather.core.mend.rim_light import carried_difference, plain_rim, rim_sigma_px
from lather.core.mend.search import SUPPORT
from lather.core.mend.selection import Selection
from lather.core.rect import Rect
from lather.errors import EditError

QUICK_PX = 64  # long side of the reduced area on which a preview's membrane is solved


@dataclass(frozen=True)
class Bed:
    """An area made ready to be grafted onto; the same for every source.

    `rect`, `picture` and all planes are in pixels of one mip level.
    """

    rect: Rect
    picture: Rect
    level: int
    target: FloatImage  # (h, w, 3)
    coverage: Plane  # (h, w) 0-1
    plain: NDArray[np.bool_]  # the pixels around that tell the light
    sigma_px: float

    @property
    def inside(self) -> NDArray[np.bool_]:
        return self.coverage > SUPPORT


def prepare_bed(
    read: Read,
    picture: Rect,
    place: Rect,
    coverage: Plane,
    *,
    level: int = 0,
    avoid: Avoid | None = None,
) -> Bed:
    """The bed for an area whose `coverage` in `place` is given; all in pixels of `level`.

    `avoid` is asked in full-resolution pixels, at level 0 only.

    Raises
    ------
    EditError : the area is empty, or covers the whole picture.
    """
    selected = Selection.of(place, coverage)
    if selected is None:
        raise EditError("Nothing was grafted", "the area is empty", "outline one first")
    spot = selected.rect
    sigma_px = rim_sigma_px(max(spot.width, spot.height) << level) / (1 << level)
    rect = spot.grown(2 + round(2 * sigma_px)).intersect(picture)
    covered = selected.within(rect)
    inside = covered > SUPPORT
    if inside.all():
        raise EditError(
            "Nothing was grafted", "the area covers the whole picture", "leave a rim around it"
        )
    target = read(rect, level)[..., :3]
    barred = avoid(rect) if avoid is not None and level == 0 else None
    plain = plain_rim(target, inside, barred, sigma_px)
    return Bed(rect, picture, level, target, covered, plain, sigma_px)


def graft(read: Read, bed: Bed, placement: Placement) -> Mended:
    """The finished graft of a bed at full resolution."""
    source = read_placed(read, bed.picture, bed.rect, placement, bed.level)[..., :3]
    carried = carried_difference(bed.target - source, bed.inside, bed.plain, bed.sigma_px)
    colour = np.clip(source + carried, 0, 1)
    return Mended(bed.rect, colour, bed.coverage, placement)


def quick_graft(
    read: Read,
    bed: Bed,
    placement: Placement,
    *,
    fine_px: float | None = None,
    mode: MendMode = MendMode.ALL,
) -> FloatImage:
    """(h, w, 3): the bed with the graft in it, good enough to aim by, many times a second.

    The membrane is as smooth as can be, so it is solved on a reduced area. With `fine_px` only
    what is finer than that sigma is taken from the source, as in a mend.
    """
    source = np.ascontiguousarray(
        read_placed(read, bed.picture, bed.rect, placement, bed.level)[..., :3]
    )
    if fine_px is not None:
        source = source - blurred(source, fine_px)
    height, width = bed.coverage.shape
    scale = min(1.0, QUICK_PX / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    rise: FloatImage = bed.target - source
    known = bed.plain.astype(np.float32)
    difference = cv2.resize(rise * known[..., None], size, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
    sigma_px = max(0.6, bed.sigma_px * scale)
    difference = cv2.GaussianBlur(difference, (0, 0), sigma_px)
    weight = cv2.GaussianBlur(weight, (0, 0), sigma_px)
    average = difference / np.maximum(weight, 1e-6)[..., None]
    carried = fill_membrane(average, weight < min(0.25, 0.9 * float(weight.max())))
    shift: FloatImage = cv2.resize(carried, (width, height), interpolation=cv2.INTER_LINEAR)
    np.subtract(shift, rise, out=rise)
    covered = bed.coverage
    if mode is not MendMode.ALL:
        covered = covered * mode_weight(luma(rise), mode)
    rise *= covered[..., None]
    rise += bed.target
    return np.clip(rise, 0, 1, out=rise)
