"""Square, turned cut-outs of a picture, as the networks want them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect

Points = NDArray[np.float32]  # (N, 2 or 3) x, y, perhaps z


@dataclass(frozen=True)
class Crop:
    """A square of the picture.

    Attributes
    ----------
    x, y : its middle, px.
    side_px : of the picture.
    turn : radians by which its x axis is turned from the picture's, towards y.
    mirrored : left for right.
    """

    x: float
    y: float
    side_px: float
    turn: float = 0.0
    mirrored: bool = False

    def cut(self, rgb: FloatImage, out_px: int) -> FloatImage:
        """(out_px, out_px, 3); black beyond the picture."""
        height, width = rgb.shape[:2]
        reach = self.side_px / 2 * (abs(math.cos(self.turn)) + abs(math.sin(self.turn))) + 2
        part = Rect.around(self.x, self.y, reach).intersect(Rect(0, 0, width, height))
        if part.empty:
            return np.zeros((out_px, out_px, 3), dtype=np.float32)
        pixels = rgb[part.slices]
        # Reduced by areas first: a linear sampling of far larger pictures would skip pixels.
        ratio = min(1.0, 1.5 * out_px / self.side_px)
        size = max(1, round(part.width * ratio)), max(1, round(part.height * ratio))
        if ratio < 1:
            pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
            across, down = size[0] / part.width, size[1] / part.height
        else:
            across = down = 1.0
        to_picture = self._to_picture(out_px)
        matrix = np.array([
            [*(to_picture[0, :2] * across), (to_picture[0, 2] - part.x0) * across],
            [*(to_picture[1, :2] * down), (to_picture[1, 2] - part.y0) * down],
        ])  # fmt: skip
        centres = np.array([0.5, 0.5])  # warpAffine counts from pixel centres
        matrix[:, 2] += matrix[:, :2] @ centres - centres
        cut: FloatImage = cv2.warpAffine(
            np.ascontiguousarray(pixels), matrix, (out_px, out_px),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_CONSTANT,
        )  # fmt: skip
        return cut

    def placed(self, points: Points, out_px: int) -> Points:
        """Points of the cut-out, (N, 2 or 3), in the picture; z in px of the picture."""
        matrix = self._to_picture(out_px)
        out = points.astype(np.float32).copy()
        out[:, :2] = points[:, :2] @ matrix[:, :2].T + matrix[:, 2]
        if points.shape[1] > 2:
            out[:, 2] *= self.side_px / out_px
        return out

    def own(self, points: Points, out_px: int) -> Points:
        """Places of the picture, (N, 2 or more), in the cut-out, (N, 2)."""
        matrix = self._to_picture(out_px)
        inverse = np.linalg.inv(matrix[:, :2])
        return np.asarray((points[:, :2] - matrix[:, 2]) @ inverse.T, dtype=np.float32)

    def lay(self, plane: Plane, onto: Plane, scale: float) -> None:
        """Put a plane of the cut-out, (n, n), back: the greater of it and what is there.

        Parameters
        ----------
        onto : (H, W) of the picture, reduced by `scale`.
        """
        out_px = len(plane)
        matrix = self._to_picture(out_px) * scale
        reach = scale * self.side_px / math.sqrt(2) + 2
        part = Rect.around(self.x * scale, self.y * scale, reach).intersect(
            Rect(0, 0, onto.shape[1], onto.shape[0])
        )
        if part.empty:
            return
        matrix[:, 2] -= (part.x0, part.y0)
        centres = np.array([0.5, 0.5])
        matrix[:, 2] += matrix[:, :2] @ centres - centres
        coarser = out_px / (scale * self.side_px)
        if coarser > 1.5:  # else a linear sampling would skip pixels
            plane = cv2.GaussianBlur(plane, (0, 0), 0.4 * coarser)
        laid = cv2.warpAffine(plane, matrix, (part.width, part.height), flags=cv2.INTER_LINEAR)
        onto[part.slices] = np.maximum(onto[part.slices], laid)

    def _to_picture(self, out_px: int) -> NDArray[np.float64]:
        """(2, 3): from pixels of the cut-out to those of the picture."""
        scale = self.side_px / out_px
        cos, sin = scale * math.cos(self.turn), scale * math.sin(self.turn)
        flip = -1.0 if self.mirrored else 1.0
        linear = np.array([[cos * flip, -sin], [sin * flip, cos]])
        offset = np.array([self.x, self.y]) - linear @ np.array([out_px / 2, out_px / 2])
        return np.column_stack([linear, offset])


def reduced(rgb: FloatImage, long_side_px: int) -> tuple[FloatImage, float]:
    """The picture with at most that long side, and its scale."""
    scale = long_side_px / max(rgb.shape[:2])
    if scale >= 1:
        return rgb, 1.0
    size = max(1, round(rgb.shape[1] * scale)), max(1, round(rgb.shape[0] * scale))
    return cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), scale
