"""The beard: where facial hair grows on the lower face and the throat, stubble to full beards.

Stubble is skin between short dark strands, so the beard is an area that lies over skin rather than
a share of its pixels: it is where thin dark lines are denser than on the person's own cheeks and
nose. A single edge, the jaw's or a collar's, is not dense: the median of a neighbourhood is taken.
Only what hangs together with chin or upper lip counts, so that locks beside the face are none.
"""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import disc
from lather.core.colour.density import optical_density
from lather.core.hair.strands import thin_dark_lines
from lather.core.rect import Rect
from lather.core.survey.faces.frame import Frame
from lather.core.survey.faces.mesh_fit import Mesh
from lather.core.survey.faces.mesh_points import (
    CHEEKS,
    CHIN_RING,
    LIPS_OUTER,
    NOSE,
    OVAL,
    UPPER_LIP,
)
from lather.core.survey.regions.outline import filled, grown
from lather.core.survey.regions.region import Region

CELL_MM, MEDIAN_CELLS, SMOOTH_CELLS = 1.0, 5, 1.0
# Of the density of strands: how much of it above the skin's own is a beard, beside what the chin or
# lip has; the least of that, in density and as a multiple of the skin's.
SHARE, LEAST_ABOVE, LEAST_RATIO = 0.52, 0.012, 1.4
SOFT = 0.2  # of the threshold above skin: how softly the area ends
LEAST_CORE = 0.4  # share of chin or upper lip that has it
# Where a beard may grow, in heights of the face: down from between the eyes, beside the middle; how
# far below the chin; how wide the oval is taken, since hair stands out from it.
FROM, BESIDE, BELOW, OVAL_GROWN, THROAT = 0.12, 0.62, 0.62, 1.06, 0.42
CHEEK_HEIGHT = 0.3  # down to which cheeks are bare


def find_beard(
    rgb: FloatImage, points: Mesh, regions: Mapping[Region, Plane], mm_per_px: float
) -> Plane:
    """(h, w) 0-1, the area of the beard at the size of `regions`; 0 where nobody has one.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, the whole of what `regions` cover.
    points : the mesh, px of `rgb`.
    regions : skin, hair and lips, 0-1.
    """
    height, width = rgb.shape[:2]
    nothing = np.zeros_like(regions[Region.SKIN])
    box = _place_of_face(points).intersect(Rect(0, 0, width, height))
    cell = max(1, round(CELL_MM / mm_per_px))
    cells = box.width // cell, box.height // cell
    if min(cells) < 2 * MEDIAN_CELLS:
        return nothing
    darkness = optical_density(np.ascontiguousarray(rgb[box.slices])).darkness
    strands = cv2.resize(thin_dark_lines(darkness, mm_per_px), cells, interpolation=cv2.INTER_AREA)
    strands = cv2.GaussianBlur(cv2.medianBlur(strands, MEDIAN_CELLS), (0, 0), SMOOTH_CELLS)
    local = points - np.array([box.x0, box.y0, 0], dtype=np.float32)
    grid = _Grid(local, (box.width, box.height), cells)
    level = _threshold(strands, grid)
    if level is None:
        return nothing
    usual, above = level
    found = 1 / (1 + np.exp(-np.clip((strands - usual - above) / (SOFT * above), -30, 30)))
    found = (found * grid.zone()).astype(np.float32)
    found *= _rooted(found > 0.5, grid.core())
    return _laid(found, box, nothing.shape, (width, height))


def _place_of_face(points: Mesh) -> Rect:
    low, high = points[:, :2].min(0), points[:, :2].max(0)
    x, y = ((low + high) / 2).tolist()
    return Rect.around(x, y, float((high - low).max()))


class _Grid:
    """The face in cells."""

    def __init__(self, points: Mesh, size: tuple[int, int], cells: tuple[int, int]) -> None:
        self.shape = cells[1], cells[0]
        self.scale = cells[0] / size[0]
        self._points = points[:, :2] * np.float32(self.scale)
        self._frame = Frame.of(points)
        self._across, self._down = self._frame.axes(self.shape, self.scale)

    def ring(self, numbers: tuple[int, ...], by: float = 1.0) -> NDArray[np.bool_]:
        return np.asarray(filled(self.shape, grown(self._points[list(numbers)], by)) > 0.5)

    def bare(self) -> NDArray[np.bool_]:
        """Cheeks and nose, which nobody's beard covers."""
        high = self._down < CHEEK_HEIGHT
        cheeks = (self.ring(CHEEKS[0]) | self.ring(CHEEKS[1])) & high
        return np.asarray(cheeks | self.ring(NOSE))

    def cores(self) -> tuple[NDArray[np.bool_], ...]:
        """Chin and upper lip: every beard has one of them."""
        lips = self.ring(LIPS_OUTER)
        return tuple(self.ring(numbers) & ~lips for numbers in (CHIN_RING, UPPER_LIP))

    def core(self) -> NDArray[np.bool_]:
        return np.asarray(np.logical_or.reduce(self.cores()))

    def zone(self) -> NDArray[np.bool_]:
        """Where a beard may grow."""
        across, down, chin = np.abs(self._across), self._down, self._frame.chin
        face = self.ring(OVAL, OVAL_GROWN) & (down > FROM) & (across < BESIDE)
        throat = (down > chin - 0.2) & (down < chin + BELOW) & (across < THROAT)
        never = self.ring(NOSE) | self.ring(LIPS_OUTER, 0.9)
        return np.asarray((face | throat) & ~never)


def _threshold(strands: Plane, grid: _Grid) -> tuple[float, float] | None:
    """The skin's own density of strands, and what a beard has above it; None without a beard."""
    bare = grid.bare()
    if not bare.any():
        return None
    usual = float(np.median(strands[bare]))
    most = 0.0
    for core in grid.cores():
        if core.any():
            typical = float(np.percentile(strands[core], 100 * (1 - LEAST_CORE)))
            if typical - usual > LEAST_ABOVE and typical > LEAST_RATIO * usual:
                most = min(most or np.inf, typical - usual)
    return (usual, SHARE * most) if most else None


def _rooted(mask: NDArray[np.bool_], core: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What hangs together with chin or upper lip, its small gaps closed."""
    closed = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, disc(2))
    _, labels = cv2.connectedComponents(closed)
    rooted = np.unique(labels[core & (closed > 0)])
    return np.asarray(np.isin(labels, rooted[rooted > 0]))


def _laid(cells: Plane, box: Rect, shape: tuple[int, ...], size: tuple[int, int]) -> Plane:
    """Cells of a box of a picture of that size as a plane of all of it."""
    height, width = shape[:2]
    across, down = width / size[0], height / size[1]
    matrix = np.array([
        [box.width / cells.shape[1] * across, 0, box.x0 * across],
        [0, box.height / cells.shape[0] * down, box.y0 * down],
    ])  # fmt: skip
    centres = np.array([0.5, 0.5])
    matrix[:, 2] += matrix[:, :2] @ centres - centres
    laid: Plane = cv2.warpAffine(cells, matrix, (width, height), flags=cv2.INTER_LINEAR)
    return laid
