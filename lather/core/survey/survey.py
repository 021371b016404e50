"""The survey: a portrait measured, its findings located."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.core.survey.blemishes import Spot, find_spots
from lather.core.survey.extent import Extent, measure_extent
from lather.core.survey.face import PUPIL_DISTANCE_MM, FaceGeometry
from lather.core.survey.finding import Finding, Kind
from lather.core.survey.geometry import find_faces
from lather.core.survey.skin import find_skin
from lather.core.work import CancelToken, Progress, no_progress
from lather.errors import EditError

SURVEYED_MM = 0.2  # a pixel of the reduced picture that blemishes are looked for on
MOLE_CONTRAST = 0.55  # darkness from which a well-defined dark spot is taken for a mole
FRECKLE_MM, FRECKLES_WITHIN_MM, LEAST_FRECKLES = 3.0, 12.0, 5
FOLD = 0.35  # share of a broken rim from which it is no mark but a nostril, a fold, an ear
SEVERE_Z = 15.0  # deviations at which a finding is two thirds as severe as can be


@dataclass(frozen=True)
class Survey:
    """What was measured, in pixels of the photo.

    Attributes
    ----------
    faces : the largest first.
    mm_per_px : by the distance of the largest face's pupils.
    skin_share : of the picture's area.
    findings : the most severe first.
    """

    width: int
    height: int
    faces: tuple[FaceGeometry, ...]
    mm_per_px: float
    skin_share: float
    findings: tuple[Finding, ...]


def survey(
    rgb: FloatImage,
    *,
    pupil_distance_mm: float = PUPIL_DISTANCE_MM,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Survey:
    """Measure a portrait.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.

    Raises
    ------
    EditError : no face was found, so that nothing says how large a millimetre is.
    Cancelled : by the token.
    """
    token = cancel or CancelToken()
    height, width = rgb.shape[:2]
    progress(0.0, "looking for faces")
    faces = find_faces(rgb)
    if not faces:
        raise EditError(
            "The portrait was not surveyed",
            "no face was found that shows both eyes",
            "mend by hand; setting the scale on a body detail is not built yet",
        )
    findings: list[Finding] = []
    skin_px = 0.0
    for number, face in enumerate(faces):
        token.check()
        mm_per_px = face.mm_per_px(pupil_distance_mm)
        place = _surroundings(face, faces, width, height)
        scale = min(1.0, mm_per_px / SURVEYED_MM)
        reduced = _reduced(rgb[place.slices], scale)
        local = face.shifted(-place.x0, -place.y0).scaled(scale)
        progress((number + 0.2) / len(faces), "telling skin from the rest")
        skin_map = find_skin(reduced, local, mm_per_px / scale)
        token.check()
        progress((number + 0.5) / len(faces), "looking for blemishes")
        spots = find_spots(reduced, skin_map.plain, mm_per_px / scale)
        token.check()
        skin_px += float(skin_map.skin.sum()) / scale**2
        findings += _findings(reduced, spots, mm_per_px / scale, scale, place)
    progress(1.0, "surveyed")
    ordered = _one_a_place(sorted(findings, key=lambda finding: -finding.severity))
    numbered = tuple(replace(finding, id=n) for n, finding in enumerate(ordered, start=1))
    return Survey(
        width, height, tuple(faces), faces[0].mm_per_px(pupil_distance_mm),
        min(1.0, skin_px / (width * height)), numbered,
    )  # fmt: skip


def _findings(
    rgb: FloatImage, spots: list[Spot], mm_per_px: float, scale: float, place: Rect
) -> list[Finding]:
    """Spots as findings, in pixels of the photo."""
    kinds = [_kind(spot, spots, mm_per_px) for spot in spots]
    found = (
        _finding(spot, kind, measure_extent(rgb, spot, mm_per_px), mm_per_px, scale, place)
        for spot, kind in zip(spots, kinds, strict=True)
    )
    return [finding for finding in found if finding.rim_broken < FOLD]


def _finding(
    spot: Spot, kind: Kind, extent: Extent, mm_per_px: float, scale: float, place: Rect
) -> Finding:
    radius_px = math.sqrt(spot.area_px / math.pi)
    return Finding(
        id=0,
        kind=kind,
        x=spot.x / scale + place.x0,
        y=spot.y / scale + place.y0,
        radius_px=radius_px / scale,
        diameter_mm=2 * radius_px * mm_per_px,
        contrast_l=extent.contrast_l,
        contrast_a=extent.contrast_a,
        rim_broken=extent.rim_broken,
        severity=100 * (1 - math.exp(-spot.z / SEVERE_Z)),
        extent_px=tuple(radius / scale for radius in extent.radii_px),
    )


def _kind(spot: Spot, spots: list[Spot], mm_per_px: float) -> Kind:
    """Moles are dark and well-defined; freckles are small and repeat."""
    if spot.kind is not Kind.DARK:
        return spot.kind
    if spot.contrast > MOLE_CONTRAST:
        return Kind.MOLE
    alike = sum(
        other.kind is Kind.DARK
        and math.dist((spot.x, spot.y), (other.x, other.y)) * mm_per_px < FRECKLES_WITHIN_MM
        and 2 * math.sqrt(other.area_px / math.pi) * mm_per_px < FRECKLE_MM
        for other in spots
    )
    return Kind.FRECKLES if alike > LEAST_FRECKLES else Kind.DARK


def _one_a_place(findings: list[Finding]) -> list[Finding]:
    """The most severe of findings that lie inside of each other: one mark, seen twice."""
    kept: list[Finding] = []
    for finding in findings:
        if not any(
            other.holds(finding.x, finding.y) or finding.holds(other.x, other.y) for other in kept
        ):
            kept.append(finding)
    return kept


def _surroundings(
    face: FaceGeometry, faces: list[FaceGeometry], width: int, height: int
) -> Rect:
    """The part of the picture that is searched for a face's skin: all of it for a single one."""
    whole = Rect(0, 0, width, height)
    if len(faces) == 1:
        return whole
    x, y = face.at(0, 0.8)
    return Rect.around(x, y, 3.2 * face.pupil_distance_px).intersect(whole)


def _reduced(rgb: FloatImage, scale: float) -> FloatImage:
    if scale >= 1:
        return np.ascontiguousarray(rgb)
    size = (max(1, round(rgb.shape[1] * scale)), max(1, round(rgb.shape[0] * scale)))
    reduced: FloatImage = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    return reduced

