"""The regions and parts of a surveyed photo at its own size."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lather.assist.survey import srgb_strips
from lather.core.arrays import ByteImage, Plane
from lather.core.survey.regions.region import Part, Region
from lather.core.work import NEVER, CancelToken
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.render.ground import photo_ground
from lather.render.regions import part_planes

GUIDE_RADIUS_PX, EVENNESS = 2, 2.0  # of the reduced picture; CIE Lab
LEAST_SKIN = 1e-3
PART = "part_"
NAMES = (*(region.value for region in Region), *(PART + part.value for part in Part))


def region_planes(
    state: JobState, cancel: CancelToken = NEVER
) -> Iterator[tuple[str, ByteImage]]:
    """Names and (H, W) uint8 coverages 0-255, one after the other: regions, then parts.

    The masks are kept on a reduced picture; single hairs come back from the photo itself.
    """
    import cv2

    from lather.core.guided import Guide

    photo, regions = state.photo, state.regions
    small = regions.size(photo.rect)
    reduced = np.zeros((small.height, small.width, 3), dtype=np.float32)
    _reduce(state, reduced, cancel)
    guide = Guide(cv2.cvtColor(reduced, cv2.COLOR_RGB2Lab), GUIDE_RADIUS_PX, EVENNESS)
    known = [region for region in Region if region in regions.masks]
    reduced_planes = {r: read_plane(regions.masks[r], small) for r in known}
    enlarged = {r: guide.enlargement(plane) for r, plane in reduced_planes.items()}
    shared = np.add.reduce([plane for r, plane in reduced_planes.items() if r.is_share])
    facial = guide.enlargement(np.clip(1 - shared, 0, 1))  # the hair itself in a full beard
    planes = {r: np.zeros((photo.height, photo.width), dtype=np.uint8) for r in known}
    for top, strip in srgb_strips(photo):
        cancel.check()
        lab = cv2.split(cv2.cvtColor(strip, cv2.COLOR_RGB2Lab))
        shares = {r: enlarged[r].rows(lab, top, photo.height) for r in known}
        total = np.maximum(
            np.add.reduce([share for r, share in shares.items() if r.is_share])
            + facial.rows(lab, top, photo.height),
            np.float32(LEAST_SKIN),
        )
        for region, share in shares.items():
            of_all = share / total if region.is_share else share
            planes[region][top : top + len(strip)] = _bytes(of_all)
    for region in known:
        yield region.value, planes[region]
    if Region.SKIN not in planes:
        return
    skin, reduced_skin = planes[Region.SKIN], read_plane(regions.masks[Region.SKIN], small)
    for part, plane in part_planes(photo_ground(state)).items():
        cancel.check()
        share = np.clip(plane / np.maximum(reduced_skin, LEAST_SKIN), 0, 1).astype(np.float32)
        whole = cv2.resize(share, (photo.width, photo.height), interpolation=cv2.INTER_LINEAR)
        yield PART + part.value, (whole * skin + np.float32(0.5)).astype(np.uint8)


def _reduce(state: JobState, out: Plane, cancel: CancelToken) -> None:
    """The photo in sRGB at the size of the regions."""
    import cv2

    photo = state.photo
    rows = np.zeros((photo.height, out.shape[1], 3), dtype=np.float32)
    for top, strip in srgb_strips(photo):
        cancel.check()
        size = out.shape[1], len(strip)
        rows[top : top + len(strip)] = cv2.resize(strip, size, interpolation=cv2.INTER_AREA)
    out[:] = cv2.resize(rows, (out.shape[1], out.shape[0]), interpolation=cv2.INTER_AREA)


def _bytes(plane: Plane) -> ByteImage:
    return (np.clip(plane, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8)

