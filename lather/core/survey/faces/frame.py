"""Where a place lies on the head: across, down, in heights of the face."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.survey.faces.mesh_points import CHIN, EYE_CORNERS, FOREHEAD_TOP, LEFT, RIGHT


@dataclass(frozen=True)
class Frame:
    """A face's own axes.

    Attributes
    ----------
    x, y : between the eyes, px.
    right_x, right_y : the unit vector towards the person's left, across the face.
    height_px : from the top of the mesh to the chin, in space: a face turned up is as high.
    chin : how far down the chin lies, in heights.
    """

    x: float
    y: float
    right_x: float
    right_y: float
    height_px: float
    chin: float

    @staticmethod
    def of(points: NDArray[np.float32]) -> Frame:
        """The frame of a mesh, (510, 3)."""
        eyes = [points[list(EYE_CORNERS[side])].mean(0) for side in (RIGHT, LEFT)]
        x, y = ((eyes[0] + eyes[1]) / 2)[:2]
        step = points[CHIN] - points[FOREHEAD_TOP]
        flat = max(float(np.hypot(*step[:2])), 1e-3)
        down_x, down_y = (float(v) / flat for v in step[:2])
        height_px = max(float(np.linalg.norm(step)), 1.0)
        chin = float((points[CHIN, 0] - x) * down_x + (points[CHIN, 1] - y) * down_y)
        return Frame(float(x), float(y), down_y, -down_x, height_px, chin / height_px)

    def axes(self, shape: tuple[int, int], scale: float = 1.0) -> tuple[Plane, Plane]:
        """(h, w) each: across and down of every pixel of a picture that is so much smaller."""
        ys, xs = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
        xs = ((xs + np.float32(0.5)) / np.float32(scale) - np.float32(self.x)) / np.float32(
            self.height_px
        )
        ys = ((ys + np.float32(0.5)) / np.float32(scale) - np.float32(self.y)) / np.float32(
            self.height_px
        )
        across = xs * np.float32(self.right_x) + ys * np.float32(self.right_y)
        down = ys * np.float32(self.right_x) - xs * np.float32(self.right_y)
        return across, down
