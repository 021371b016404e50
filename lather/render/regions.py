"""How far pixels belong to the regions and parts of the portrait."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document.planes import read_plane
from lather.render.ground import Ground

STEPS = 32  # of a pixel, in which OpenCV interpolates


def region_coverage(
    ground: Ground, region: Region | Part, rect: Rect, level: int = 0
) -> Plane:
    """(h, w) 0-1: the mask of a region or part over a rectangle of a mip level, in the space of the
    ground. The same at a place, whatever rectangle is asked for."""
    if not isinstance(region, Part) and region not in ground.regions.masks:
        return np.zeros((rect.height, rect.width), dtype=np.float32)
    import cv2

    small = ground.regions.size(ground.photo.rect)
    x, y = _places(ground, rect, level, small)
    left, top = int(x.min()), int(y.min())
    part = Rect(left, top, int(x.max()) + 2, int(y.max()) + 2).intersect(small)
    if isinstance(region, Part):
        plane = part_planes(ground)[region][part.slices]
    else:
        plane = read_plane(ground.regions.masks[region], part)
    coverage: Plane = cv2.remap(
        plane, (x - left).astype("f4"), (y - top).astype("f4"), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return coverage


def _places(
    ground: Ground, rect: Rect, level: int, small: Rect
) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """(h, w) x and y: where the centres of a rectangle's pixels lie on the regions' reduced
    picture, whose border repeats; in steps that interpolation does not round any more."""
    step = ground.regions.scale * (1 << level)
    xs, ys = np.arange(rect.x0, rect.x1) + 0.5, np.arange(rect.y0, rect.y1) + 0.5
    if not ground.moved:
        x, y = np.meshgrid(_rounded(xs * step - 0.5, small.width),
                           _rounded(ys * step - 0.5, small.height))  # fmt: skip
        return x, y
    shift = ground.space.shifts_below(rect, level)
    x, y = xs + shift[..., 0], ys[:, None] + shift[..., 1]
    return _rounded(x * step - 0.5, small.width), _rounded(y * step - 0.5, small.height)


def _rounded(places: NDArray[np.floating], length: int) -> NDArray[np.floating]:
    out: NDArray[np.floating] = np.rint(np.clip(places, 0, length - 1) * STEPS) / STEPS
    return out


def part_planes(ground: Ground) -> dict[Part, Plane]:
    """The parts of the skin, on the regions' reduced picture; those of the last state are kept."""
    return _PARTS.of((ground.regions, ground.faces), lambda: _found_parts(ground))


def _found_parts(ground: Ground) -> dict[Part, Plane]:
    from lather.core.survey.faces.mesh_fit import fitted_points
    from lather.core.survey.regions.parts import skin_parts

    regions = ground.regions
    small = regions.size(ground.photo.rect)
    skin = (
        read_plane(regions.masks[Region.SKIN], small) if Region.SKIN in regions.masks
        else np.zeros((small.height, small.width), dtype=np.float32)
    )
    return skin_parts(skin, [fitted_points(face) for face in ground.faces], regions.scale)


_PARTS: Last[dict[Part, Plane]] = Last()
