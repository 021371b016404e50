"""What grows there: lines and spots that are the beard's, or the fine hair's along a hairline."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from lather.core.arrays import Plane
from lather.core.colour.density import Density
from lather.core.hair.strands import SINGLE_MM, STRAND_MM, thin_dark_lines
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.lines import Line
from lather.core.survey.findings.spot import Spot
from lather.core.survey.regions.region import Region

MOSTLY = 0.5
MEDIAN_PX = (3, 5)  # what there is for exact values
FAR_OUTSIDE = 4.0  # times its bar: what stands out of a beard's own texture
# Of a dark mark between hairs; where strands cross it is dark, too: lines run beside.
LEAST_SPOT_MM = 1.6
CROSSING_MM = 12.0  # from the hair
BESIDE_MM, CLEAR_LINE, LEAST_LINES = 2.5, 0.1, 0.035  # density; share of the ring
# Fine hair grows in company near the hair; one long strand across the skin does not.
TOGETHER_MM, LEAST_TOGETHER, NEAR_HAIR_MM = 12.0, 4, 15.0
LONG_MM = 25.0  # of such a strand
_HAIRLIKE = (Kind.SKIN_HAIR, Kind.SCAR, Kind.CREASE)


@dataclass(frozen=True, eq=False)
class OwnHair:
    """Where hair grows on a person, on planes of the picture that findings are looked for on.

    Attributes
    ----------
    beard : (h, w) 0-1, at any size.
    hair : (h, w) 0-1, at the same.
    scale : their pixels per pixel of that picture.
    mm_per_px : of that picture.
    """

    beard: Plane
    hair: Plane
    scale: float
    mm_per_px: float

    @staticmethod
    def of(regions: Mapping[Region, Plane], width_px: int, mm_per_px: float) -> OwnHair:
        """By the regions of a picture of that width and scale."""
        beard, hair = regions[Region.BEARD], regions[Region.HAIR]
        return OwnHair(beard, hair, beard.shape[1] / width_px, mm_per_px)

    def beard_in(self, place: Rect) -> Plane | None:
        """(h, w) 0-1 of a place; None if there is none of it."""
        size = place.width, place.height
        x0, y0, x1, y1 = (round(v * self.scale) for v in (place.x0, place.y0, place.x1, place.y1))
        part = self.beard[y0:y1, x0:x1]
        if not part.any():
            return None
        return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_LINEAR))

    def between_strands(self, density: Density, beard: Plane | None) -> Density:
        """The density of a place with the skin's between the strands of the beard in it.

        The median of a neighbourhood knows nothing of strands that cover less than half of it.
        """
        if beard is None:
            return density
        side = MEDIAN_PX[min(len(MEDIAN_PX) - 1, round(STRAND_MM / self.mm_per_px) // 2)]

        def calmed(plane: Plane) -> Plane:
            return np.asarray(plane + beard * (cv2.medianBlur(plane, side) - plane))

        return Density(*map(calmed, (density.darkness, density.redness, density.yellowness)))

    def without_its_lines(self, lines: Sequence[Line]) -> list[Line]:
        """Lines that are none of the beard's, nor of the fine hair along the hairline."""
        found = [line for line in lines if not self._is_of_beard(line)]
        down = self._fine_hair(found)
        return [line for line, own in zip(found, down, strict=True) if not own]

    def without_its_spots(
        self, spots: Sequence[Spot], density: Density, place: Rect
    ) -> list[Spot]:
        """Spots that are no places where strands cross.

        Parameters
        ----------
        density : of a place, strands and all.
        """
        return [spot for spot in spots if not self._is_crossing(spot, density, place)]

    def _is_crossing(self, spot: Spot, density: Density, place: Rect) -> bool:
        if spot.kind is not Kind.DARK or 2 * spot.radius_px * self.mm_per_px > LEAST_SPOT_MM:
            return False
        at = np.array([[spot.x, spot.y]])
        if float(self._at(self.beard, at)[0]) > MOSTLY:
            return True
        near = min(float(self._at(away, at)[0]) for away in (self._from_beard, self._from_hair))
        return near < CROSSING_MM and self._among_strands(spot, density.darkness, place)

    def _among_strands(self, spot: Spot, darkness: Plane, place: Rect) -> bool:
        """True if thin lines run beside a spot."""
        inner, outer = 2 * spot.radius_px, 2 * spot.radius_px + BESIDE_MM / self.mm_per_px
        rect = Rect.around(spot.x, spot.y, outer + 3).intersect(place)
        here = rect.shifted(-place.x0, -place.y0)
        lines = thin_dark_lines(
            np.ascontiguousarray(darkness[here.slices]), self.mm_per_px, SINGLE_MM
        )
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
        away = np.hypot(xs - spot.x, ys - spot.y)
        ring = (away > inner) & (away < outer)
        return float((lines[ring] > CLEAR_LINE).mean()) > LEAST_LINES

    def _is_of_beard(self, line: Line) -> bool:
        is_clear = line.z > FAR_OUTSIDE * line.least_z
        if is_clear or line.kind is Kind.FOLD or not self.beard.any():
            return False
        inside = float(np.mean(self._at(self.beard, line.path))) > MOSTLY
        thins_out = line.kind in (Kind.SKIN_HAIR, Kind.SCAR) and self._length_mm(line) < LONG_MM
        return inside or (thins_out and self._is_near(self._from_beard, line))

    def _fine_hair(self, lines: Sequence[Line]) -> NDArray[np.bool_]:
        """True for short hairs that lie together, and begin near the hair."""
        own = np.zeros(len(lines), dtype=bool)
        thin = [n for n, line in enumerate(lines) if line.kind in _HAIRLIKE]
        if len(thin) < LEAST_TOGETHER or not self.hair.any():
            return own
        for group in self._together([lines[n] for n in thin]):
            members = [thin[n] for n in group]
            hairs = sum(lines[n].kind is Kind.SKIN_HAIR for n in members)
            near = any(self._is_near(self._from_hair, lines[n]) for n in members)
            if hairs >= LEAST_TOGETHER and near:
                for n in members:
                    own[n] = self._length_mm(lines[n]) < LONG_MM
        return own

    def _together(self, lines: Sequence[Line]) -> list[list[int]]:
        """Numbers of lines in groups, in which each lies near another one."""
        points = np.concatenate([line.path[::4] for line in lines])
        of = np.repeat(np.arange(len(lines)), [len(line.path[::4]) for line in lines])
        pairs = cKDTree(points).query_pairs(TOGETHER_MM / self.mm_per_px, output_type="ndarray")
        group = np.arange(len(lines))
        for one, other in {(of[a], of[b]) for a, b in pairs.tolist() if of[a] != of[b]}:
            group[group == group[other]] = group[one]
        return [np.flatnonzero(group == number).tolist() for number in np.unique(group)]

    def _is_near(self, away: Plane, line: Line) -> bool:
        return float(self._at(away, line.path).min()) < NEAR_HAIR_MM

    @cached_property
    def _from_hair(self) -> Plane:
        return self._away_mm(self.hair)

    @cached_property
    def _from_beard(self) -> Plane:
        return self._away_mm(self.beard)

    def _away_mm(self, grown: Plane) -> Plane:
        """(h, w) mm from the nearest place where there is some."""
        bare = (grown < MOSTLY).astype(np.uint8)
        away = cv2.distanceTransform(bare, cv2.DIST_L2, cv2.DIST_MASK_5)
        return np.asarray(away * np.float32(self.mm_per_px / self.scale))

    def _length_mm(self, line: Line) -> float:
        return math.dist(line.path[0], line.path[-1]) * self.mm_per_px

    def _at(self, plane: Plane, path: NDArray[np.floating]) -> Plane:
        columns = np.clip((path[:, 0] * self.scale).astype(int), 0, plane.shape[1] - 1)
        rows = np.clip((path[:, 1] * self.scale).astype(int), 0, plane.shape[0] - 1)
        values: Plane = plane[rows, columns]
        return values
