"""The regions of a portrait as soft masks: from the mesh, the person mask, and this very picture.

Skin, hair, clothing, background and things are told apart all over the picture (`labels`); eyes,
brows and mouth are looked at closely, each in a cut-out of its own. Each pixel is shared out.
"""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import Mesh, fitted_points
from lather.core.survey.faces.mesh_points import LEFT, RIGHT
from lather.core.survey.regions.beard import find_beard
from lather.core.survey.regions.brows import find_brow
from lather.core.survey.regions.evidence import gather
from lather.core.survey.regions.eyes import find_eyes
from lather.core.survey.regions.labels import KINDS, label
from lather.core.survey.regions.mouth import find_mouth
from lather.core.survey.regions.region import Region
from lather.core.survey.regions.skin import SkinMap
from lather.core.work import NEVER, CancelToken

INNER = (Region.IRIS, Region.EYE_WHITE, Region.TEETH, Region.LIPS, Region.BROWS)  # the first wins


def find_regions(
    rgb: FloatImage, face: FaceGeometry, person: Plane, mm_per_px: float, by: float,
    cancel: CancelToken = NEVER,
) -> dict[Region, Plane]:
    """Soft masks 0-1 of all regions of one person, (h, w) each.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    face : in px of `rgb`.
    person : 0-1 over all of `rgb`, at any size: what belongs to this person.
    by : how much smaller the masks are than `rgb`, at most 1.
    """
    size = max(1, round(rgb.shape[1] * by)), max(1, round(rgb.shape[0] * by))
    points = fitted_points(face)
    outer = _outer(rgb, points, person, mm_per_px, size, cancel)
    cancel.check()
    inner, gap = _inner(rgb, points, by, size, cancel)
    left = np.ones((size[1], size[0]), dtype=np.float32)
    found = {}
    for region in INNER:
        found[region] = np.minimum(inner[region], left)
        left -= found[region]
    gap = np.minimum(gap, left)
    left -= gap
    for region, share in outer.items():
        found[region] = share * left
    found[Region.OTHER] += gap
    cancel.check()
    found[Region.BEARD] = find_beard(rgb, points, found, mm_per_px)
    found[Region.HAIR] = found[Region.HAIR] * (1 - found[Region.BEARD])  # the face's own
    return {region: found[region] for region in Region}


def detail_regions(skin_map: SkinMap, size: tuple[int, int]) -> dict[Region, Plane]:
    """The same where no face shows: skin, and what is not."""
    skin = cv2.resize(skin_map.skin.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    shares = {region: np.zeros_like(skin) for region in Region}
    return {**shares, Region.SKIN: skin, Region.BACKGROUND: 1 - skin}


def merged(
    parts: Mapping[Region, Plane] | None, more: Mapping[Region, Plane]
) -> dict[Region, Plane]:
    """The regions of two people in one picture: all of both, and background only in neither."""
    if parts is None:
        return dict(more)
    together = {region: np.maximum(parts[region], more[region]) for region in more}
    behind = np.minimum(parts[Region.BACKGROUND], more[Region.BACKGROUND])
    return {**together, Region.BACKGROUND: behind}


def _outer(
    rgb: FloatImage, points: Mesh, person: Plane, mm_per_px: float, size: tuple[int, int],
    cancel: CancelToken,
) -> dict[Region, Plane]:
    evidence = gather(rgb, points, person, mm_per_px, cancel)
    cancel.check()
    if evidence is None:  # a face too small, or all in one colour
        mask = cv2.resize(person, size, interpolation=cv2.INTER_LINEAR)
        nothing = {kind: np.zeros_like(mask) for kind in KINDS}
        return {**nothing, Region.OTHER: mask, Region.BACKGROUND: 1 - mask}
    shares = label(evidence, cancel)
    cancel.check()
    lab = cv2.cvtColor(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2Lab)
    large = {}
    for kind, share in shares.items():
        cancel.check()
        large[kind] = evidence.guide.enlarge(share, lab)
    total = np.add.reduce(list(large.values())) + np.float32(1e-6)
    return {kind: plane / total for kind, plane in large.items()}


def _inner(
    rgb: FloatImage, points: Mesh, by: float, size: tuple[int, int], cancel: CancelToken
) -> tuple[dict[Region, Plane], Plane]:
    """Eyes, brows and mouth, and the gap between the lips."""
    planes = {region: np.zeros((size[1], size[0]), dtype=np.float32) for region in INNER}
    gap = np.zeros((size[1], size[0]), dtype=np.float32)
    for side, eye in zip((RIGHT, LEFT), find_eyes(rgb, points, cancel), strict=True):
        cancel.check()
        eye.crop.lay(eye.white, planes[Region.EYE_WHITE], by)
        eye.crop.lay(eye.iris, planes[Region.IRIS], by)
        brow_crop, hairs = find_brow(rgb, points, side, eye.white + eye.iris)
        brow_crop.lay(hairs, planes[Region.BROWS], by)
    cancel.check()
    mouth = find_mouth(rgb, points)
    mouth.crop.lay(mouth.lips, planes[Region.LIPS], by)
    mouth.crop.lay(mouth.teeth, planes[Region.TEETH], by)
    mouth.crop.lay(mouth.gap, gap, by)
    return planes, gap
