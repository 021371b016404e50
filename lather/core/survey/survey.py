"""The survey: a portrait measured, its findings located."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.density import Density, optical_density
from lather.core.rect import Rect
from lather.core.survey.blocks import MOST_BLOCKS, blockiness, without_blocks
from lather.core.survey.faces.find import find_faces, with_meshes
from lather.core.survey.faces.geometry import PUPIL_DISTANCE_MM, FaceGeometry
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.core.survey.faces.person import persons, seen_closely
from lather.core.survey.findings.blemishes import find_spots
from lather.core.survey.findings.extent import Extent, measure_extent
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.findings.line_extent import line_finding
from lather.core.survey.findings.line_places import on_open_skin
from lather.core.survey.findings.lines import Line, find_lines
from lather.core.survey.findings.own_hair import OwnHair
from lather.core.survey.findings.spot import Spot
from lather.core.survey.findings.trust import (
    Ground,
    certainty_of_spot,
    clipped_around,
    resolved,
)
from lather.core.survey.regions.find import detail_regions, find_regions, merged
from lather.core.survey.regions.region import Region
from lather.core.survey.regions.skin import SkinMap, skin_of_detail, skin_of_person
from lather.core.work import CancelToken, Progress, no_progress
from lather.errors import ScaleError

REGIONS_PX = 1.2e6  # of the reduced picture on which regions are told apart
SURVEYED_MM = 0.2  # a pixel of the reduced picture that blemishes are looked for on
# From which a well-defined dark spot is taken for a mole: darkness at its peak, or L* over its area
# (of spots that are none -11 at most). Rather kept than mended.
# Where red is clipped a mole is as red as a mark (those have -20 at most).
# In a flat or dark picture a mole is no darker than a mark elsewhere, but nothing is as clear.
CLEAR_MOLE, MOLE_Z = 0.36, 21.0
MOLE_CONTRAST, MOLE_DARKER = 0.62, {Kind.DARK: -12.0, Kind.RED: -25.0}
FRECKLE_MM, FRECKLES_WITHIN_MM, LEAST_FRECKLES = 3.0, 12.0, 5
# Share of a broken rim from which it is no mark but a nostril, a fold, an ear; one that is as clear
# as that all the same is listed, with this certainty.
FOLD, CLEAR, ON_FOLD = 0.35, 0.95, 0.4
SMALL_FACE = 0.06  # pupil distance, of the long side
HEAD_REACH = 3.0  # around one of several faces, in pupil distances
SURE = 0.8  # certainty of a spot that is no piece of the line it lies on
SEVERE_Z = 15.0  # deviations at which a finding is two thirds as severe as can be


@dataclass(frozen=True)
class Survey:
    """What was measured, in pixels of the photo.

    Attributes
    ----------
    faces : the largest first; none if the scale was given.
    mm_per_px : by the distance of the largest face's pupils, or as given.
    regions : (h, w) soft masks 0-1 of the whole picture, reduced by `regions_scale`.
    findings : the most severe first, after all that are certain those that are not.
    lacking : why it is less than it could be, a clause for a person to read; "" if it is not.
    """

    width: int
    height: int
    faces: tuple[FaceGeometry, ...]
    mm_per_px: float
    regions: dict[Region, Plane]
    regions_scale: float
    findings: tuple[Finding, ...]
    lacking: str = ""

    def share(self, region: Region) -> float:
        """How much of the picture a region takes, 0-1."""
        return float(self.regions[region].mean()) if region in self.regions else 0.0


def survey(
    rgb: FloatImage,
    *,
    faces: Sequence[FaceGeometry] | None = None,
    mm_per_px: float | None = None,
    skin: Plane | None = None,
    pupil_distance_mm: float = PUPIL_DISTANCE_MM,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Survey:
    """Measure a portrait.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    faces : their handles, if somebody has set them; None looks for faces.
    mm_per_px : the scale, if somebody has set it; needed where no face shows both eyes.
    skin : (h, w) 0-1 over the whole picture at any size, where skin is, if somebody said so.

    Raises
    ------
    ScaleError : no face was found, so that nothing says how large a millimetre is.
    Cancelled : by the token.
    """
    token = cancel or CancelToken()
    height, width = rgb.shape[:2]
    progress(0.0, "looking for faces")
    seen = find_faces(rgb, token) if faces is None else with_meshes(rgb, tuple(faces), token)
    found = seen.faces
    if not found and mm_per_px is None:
        raise ScaleError(
            "The portrait was not surveyed",
            "no face was found that shows both eyes, so nothing says how large a millimetre is",
        )
    people: Sequence[FaceGeometry | None] = found or (None,)
    planes = persons(seen.person, found, (height, width))
    findings: list[Finding] = []
    is_blocky = blockiness(rgb) > MOST_BLOCKS
    regions, regions_scale = None, min(1.0, math.sqrt(REGIONS_PX / (width * height)))
    for number, face in enumerate(people):
        token.check()
        mm = mm_per_px if mm_per_px is not None else _scale_of(face, pupil_distance_mm)
        plane = planes[number] if planes else None
        place = _surroundings(face, plane, len(found), width, height)
        scale = min(1.0, mm / SURVEYED_MM)
        reduced = _reduced(rgb[place.slices], scale)
        token.check()
        local = None if face is None else face.shifted(-place.x0, -place.y0).scaled(scale)
        report = _part_of(progress, number, len(people))
        report(0.1, "telling skin, hair and clothing apart")
        by = min(1.0, regions_scale / scale)
        person = None if plane is None else _part(plane, place, (height, width))
        if (face is not None and person is not None and seen.person is not None
                and _is_small(face, width, height)):  # fmt: skip
            person = seen_closely(rgb, place, person, face.turn)
        part, skin_map = _regions(reduced, local, person, mm / scale, by, token)
        regions = _with_part(regions, part, place, regions_scale, (height, width))
        if skin is not None:
            skin_map = skin_map.corrected(_cut(skin, place, (height, width), reduced.shape))
        box = Rect.of_mask(skin_map.plain)
        density = optical_density(np.ascontiguousarray(reduced[box.slices]))
        evened = density
        if is_blocky:
            reduced = without_blocks(reduced, scale)
            evened = optical_density(np.ascontiguousarray(reduced[box.slices]))
        token.check()
        own_hair = OwnHair.of(part, reduced.shape[1], mm / scale)
        spots, lines = _spots_and_lines(reduced, (density, evened), skin_map, own_hair, local,
                                        report, token)  # fmt: skip
        mine = _findings(reduced, spots, mm / scale, scale, place, token)
        for line in lines:
            token.check()
            mine.append(line_finding(reduced, line, mm / scale, scale, place))
        ground = Ground.of(part, place.x0, place.y0, part[Region.SKIN].shape[1] / place.width)
        findings += [resolved(ground.weighed(finding), mm) for finding in mine]
    assert regions is not None
    progress(1.0, "surveyed")
    # What is doubtful comes last, and never takes a certain one's place.
    by_weight = sorted(findings, key=lambda finding: (finding.doubtful, -finding.severity))
    ordered = _one_a_place(by_weight)
    numbered = tuple(replace(finding, id=n) for n, finding in enumerate(ordered, start=1))
    scale_mm = mm_per_px if mm_per_px is not None else _scale_of(found[0], pupil_distance_mm)
    return Survey(width, height, found, scale_mm, regions, regions_scale, numbered, seen.lacking)


def _spots_and_lines(
    rgb: FloatImage, densities: tuple[Density, Density], skin_map: SkinMap, own_hair: OwnHair,
    face: FaceGeometry | None, report: Progress, cancel: CancelToken,
) -> tuple[list[Spot], list[Line]]:
    """What is found on one person's plain skin, in px of `rgb`; nothing that grows there. The
    densities are those of the plain skin's box, as it is and without blocks of colour: their steps
    look like red marks, and what is pale is smaller than what they are evened over."""
    density, evened = densities
    report(0.4, "looking for blemishes")
    mm_per_px, plain = own_hair.mm_per_px, Rect.of_mask(skin_map.plain)
    beard = own_hair.beard_in(plain)
    between = own_hair.between_strands(evened, beard)
    cancel.check()
    spots = find_spots(rgb, skin_map.plain, mm_per_px, cancel, between, beard, pale_in=density)
    spots = own_hair.without_its_spots(spots, evened, plain)
    cancel.check()
    report(0.6, "looking for creases and hairs")
    lines = find_lines(rgb, skin_map.plain, mm_per_px, cancel, evened)
    mesh = None if face is None else fitted_points(face)
    return spots, own_hair.without_its_lines(on_open_skin(lines, spots, face, mesh))


def _regions(
    rgb: FloatImage, face: FaceGeometry | None, person: Plane | None, mm_per_px: float, by: float,
    cancel: CancelToken,
) -> tuple[dict[Region, Plane], SkinMap]:
    """Regions, reduced by `by`, and the skin of one person, or of a body detail without a face."""
    if face is None or person is None:
        skin_map = skin_of_detail(rgb, mm_per_px, cancel)
        size = max(1, round(rgb.shape[1] * by)), max(1, round(rgb.shape[0] * by))
        return detail_regions(skin_map, size), skin_map
    found = find_regions(rgb, face, person, mm_per_px, by, cancel)
    return found, skin_of_person(rgb, fitted_points(face), found, mm_per_px, cancel)


def _scale_of(face: FaceGeometry | None, pupil_distance_mm: float) -> float:
    assert face is not None
    return face.mm_per_px(pupil_distance_mm)


def _cut(
    plane: Plane, place: Rect, picture: tuple[int, int], shape: tuple[int, ...]
) -> NDArray[np.bool_]:
    """The part of a plane of the whole picture that belongs to `place`, at another size."""
    part = _part(plane, place, picture)
    resized = cv2.resize(part, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray(resized > 0.5)


def _part(plane: Plane, place: Rect, picture: tuple[int, int]) -> Plane:
    """The part of a plane of the whole picture, of any size, that belongs to `place`."""
    down, across = plane.shape[0] / picture[0], plane.shape[1] / picture[1]
    top, left = int(place.y0 * down), int(place.x0 * across)
    return plane[
        top : max(top + 1, round(place.y1 * down)), left : max(left + 1, round(place.x1 * across))
    ]


def _part_of(progress: Progress, number: int, n_parts: int) -> Progress:
    return lambda share, what: progress((number + share) / n_parts, what)


def _with_part(
    regions: dict[Region, Plane] | None,
    part: dict[Region, Plane],
    place: Rect,
    scale: float,
    picture: tuple[int, int],
) -> dict[Region, Plane]:
    """One person's regions put into the whole picture's; elsewhere all is background."""
    height, width = (max(1, round(side * scale)) for side in picture)
    box = Rect(round(place.x0 * scale), round(place.y0 * scale),
               round(place.x1 * scale), round(place.y1 * scale)).intersect(
                   Rect(0, 0, width, height))  # fmt: skip
    whole = {}
    for region, plane in part.items():
        out = np.full((height, width), region is Region.BACKGROUND, dtype=np.float32)
        out[box.slices] = cv2.resize(plane, (box.width, box.height), interpolation=cv2.INTER_LINEAR)
        whole[region] = out
    return merged(regions, whole)


def _findings(
    rgb: FloatImage, spots: list[Spot], mm_per_px: float, scale: float, place: Rect,
    cancel: CancelToken,
) -> list[Finding]:
    """Spots as findings, in pixels of the photo."""
    kinds = [_kind(spot, spots, mm_per_px) for spot in spots]
    found = []
    for spot, told in zip(spots, kinds, strict=True):
        cancel.check()
        kind = told
        extent = measure_extent(rgb, spot, mm_per_px)
        if extent.contrast_l < MOLE_DARKER.get(told, -math.inf):
            kind = Kind.MOLE
        certainty = certainty_of_spot(spot, mm_per_px, clipped_around(rgb, spot))
        found.append(_finding(spot, kind, extent, mm_per_px, scale, place, certainty))
    return [
        finding if finding.rim_broken < FOLD else replace(finding, certainty=ON_FOLD)
        for finding in found
        if finding.rim_broken < FOLD or finding.certainty > CLEAR
    ]


def _finding(
    spot: Spot, kind: Kind, extent: Extent, mm_per_px: float, scale: float, place: Rect,
    certainty: float,
) -> Finding:
    radius_px = spot.radius_px
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
        edge_px=extent.edge_px / scale,
        certainty=certainty,
    )


def _kind(spot: Spot, spots: list[Spot], mm_per_px: float) -> Kind:
    """Moles are dark and well-defined; freckles are small and repeat."""
    if spot.kind is not Kind.DARK:
        return spot.kind
    if spot.contrast > MOLE_CONTRAST or (spot.contrast > CLEAR_MOLE and spot.z > MOLE_Z):
        return Kind.MOLE
    alike = sum(
        other.kind is Kind.DARK
        and math.dist((spot.x, spot.y), (other.x, other.y)) * mm_per_px < FRECKLES_WITHIN_MM
        and 2 * math.sqrt(other.area_px / math.pi) * mm_per_px < FRECKLE_MM
        for other in spots
    )
    return Kind.FRECKLES if alike > LEAST_FRECKLES else Kind.DARK


def _one_a_place(findings: list[Finding]) -> list[Finding]:
    """The most severe of findings that lie inside of each other: one mark, seen twice.

    A spot that is sure stays where a hair or crease runs over it.
    """
    kept: list[Finding] = []
    for finding in findings:
        if not any(
            other.holds(finding.x, finding.y) or finding.holds(other.x, other.y)
            for other in kept
            if finding.certainty < SURE or bool(other.path_px) == bool(finding.path_px)
        ):
            kept.append(finding)
    return kept


def _surroundings(
    face: FaceGeometry | None, person: Plane | None, n_people: int, width: int, height: int
) -> Rect:
    """The part of the picture that a person takes: all of it for a single one."""
    whole = Rect(0, 0, width, height)
    alone = n_people == 1 and not _is_small(face, width, height)
    if face is None or person is None or alone:
        return whole
    head = Rect.around(*face.at(0, 0.5), HEAD_REACH * face.pupil_distance_px)
    seen = Rect.of_mask(person > 0.3)
    if seen.empty:
        return head.intersect(whole)
    down, across = height / person.shape[0], width / person.shape[1]
    margin = round(0.5 * face.pupil_distance_px)
    body = Rect(
        int(seen.x0 * across), int(seen.y0 * down),
        math.ceil(seen.x1 * across), math.ceil(seen.y1 * down),
    ).grown(margin)  # fmt: skip
    return body.union(head).intersect(whole)


def _is_small(face: FaceGeometry | None, width: int, height: int) -> bool:
    """True for a face whose person the mask of the whole picture shows but roughly."""
    return face is not None and face.pupil_distance_px < SMALL_FACE * max(width, height)


def _reduced(rgb: FloatImage, scale: float) -> FloatImage:
    if scale >= 1:
        return np.ascontiguousarray(rgb)
    size = (max(1, round(rgb.shape[1] * scale)), max(1, round(rgb.shape[0] * scale)))
    reduced: FloatImage = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    return reduced

