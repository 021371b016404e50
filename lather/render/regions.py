"""How far pixels belong to the regions and parts of the portrait."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import Plane
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document.layers.reshape import Reshapes
from lather.document.planes import read_plane
from lather.render.ground import Ground
from lather.render.reshaping import shifts_in


def region_coverage(
    ground: Ground, region: Region | Part, rect: Rect, level: int = 0, moved: Reshapes = ()
) -> Plane:
    """(h, w) 0-1: the mask of a region or part over a rectangle of a mip level of the picture; as
    it is seen above reshapes, bottom to top."""
    if moved:
        return _moved_coverage(ground, region, rect, level, moved)
    small = ground.regions.size(ground.photo.rect)
    step = ground.regions.scale * (1 << level)
    # Where the centres of the view's pixels lie on the reduced picture, whose border repeats.
    xs = np.clip((np.arange(rect.x0, rect.x1) + 0.5) * step - 0.5, 0, small.width - 1)
    ys = np.clip((np.arange(rect.y0, rect.y1) + 0.5) * step - 0.5, 0, small.height - 1)
    part = Rect(int(xs[0]), int(ys[0]), int(xs[-1]) + 2, int(ys[-1]) + 2).intersect(small)
    if isinstance(region, Part):
        plane = part_planes(ground)[region][part.slices]
    elif region in ground.regions.masks:
        plane = read_plane(ground.regions.masks[region], part)
    else:
        return np.zeros((rect.height, rect.width), dtype=np.float32)
    import cv2

    grid = np.meshgrid((xs - part.x0).astype("f4"), (ys - part.y0).astype("f4"))
    coverage: Plane = cv2.remap(
        plane, grid[0], grid[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return coverage


def _moved_coverage(
    ground: Ground, region: Region | Part, rect: Rect, level: int, moved: Reshapes
) -> Plane:
    """The region of where what is seen lies."""
    import cv2

    shift = shifts_in(moved, rect, level, ground.photo.rect)
    if not shift.any():
        return region_coverage(ground, region, rect, level)
    margin_px = int(np.ceil(np.abs(shift).max())) + 1
    wide = rect.grown(margin_px)
    coverage = region_coverage(ground, region, wide, level)
    y, x = (grid.astype("f4") + margin_px for grid in np.mgrid[: rect.height, : rect.width])
    moved_coverage: Plane = cv2.remap(
        coverage, x + shift[..., 0], y + shift[..., 1], cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return moved_coverage


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
