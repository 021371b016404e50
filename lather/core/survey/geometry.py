"""Face geometry: where faces are, their handles, and the scale they give.

The first guess finds faces and eyes with OpenCV's cascades (Viola and Jones 2001) and sets
each pupil on the darkest disc of an iris's size; the other handles follow from the mean
proportions of adults (Farkas 1994) until somebody drags them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane

PUPIL_DISTANCE_MM = 63.0  # adults; infants about 40
IRIS_DIAMETER_MM = 11.7
FACES_PX, EYES_PX = 640, 320  # sizes at which faces, and the eyes of a face, are looked for
_LIGHT = np.array([0.3, 0.59, 0.11], dtype=np.float32)

Point = tuple[float, float]

# Across (towards the left of the person) and down from between the pupils, in pupil distances.
_PLACES: dict[str, Point] = {
    "pupil_right": (-0.5, 0.0),
    "pupil_left": (0.5, 0.0),
    "mouth_right": (-0.4, 1.1),
    "mouth_left": (0.4, 1.1),
    "nose_tip": (0.0, 0.62),
    "chin": (0.0, 1.85),
    "temple_right": (-1.1, 0.0),
    "temple_left": (1.1, 0.0),
}
HANDLES = tuple(_PLACES)


@dataclass(frozen=True)
class FaceGeometry:
    """A face by its handles, in pixels of the photo; left and right are the person's own."""

    handles: dict[str, Point]

    @classmethod
    def from_pupils(cls, right: Point, left: Point) -> FaceGeometry:
        """The other handles by mean proportions."""
        face = cls({"pupil_right": right, "pupil_left": left})
        guessed = {name: face.at(*place) for name, place in _PLACES.items()}
        return cls({**guessed, **face.handles})

    @property
    def pupil_distance_px(self) -> float:
        return math.dist(self.handles["pupil_right"], self.handles["pupil_left"])

    def mm_per_px(self, pupil_distance_mm: float = PUPIL_DISTANCE_MM) -> float:
        return pupil_distance_mm / self.pupil_distance_px

    def at(self, across: float, down: float) -> Point:
        """The point so many pupil distances from the middle between the pupils."""
        (rx, ry), (lx, ly) = self.handles["pupil_right"], self.handles["pupil_left"]
        ax, ay = lx - rx, ly - ry
        return (rx + lx) / 2 + across * ax - down * ay, (ry + ly) / 2 + across * ay + down * ax

    def scaled(self, factor: float) -> FaceGeometry:
        """The same face in a picture that is `factor` times as large."""
        return FaceGeometry({n: (x * factor, y * factor) for n, (x, y) in self.handles.items()})


def find_faces(rgb: FloatImage) -> list[FaceGeometry]:
    """Faces seen from the front or a little from the side, the largest first; may be empty.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    """
    grey, scale = _grey_at(rgb, FACES_PX)
    boxes = _cascade("haarcascade_frontalface_alt2").detectMultiScale(_bytes(grey), 1.05, 4)
    faces = []
    for x, y, width, height in sorted(boxes, key=lambda box: -box[2]):
        top, left = int(y / scale), int(x / scale)
        part = rgb[top : top + int(height / scale), left : left + int(width / scale)]
        pupils = _find_pupils(part)
        if pupils is not None:
            (rx, ry), (lx, ly) = pupils
            faces.append(FaceGeometry.from_pupils((rx + left, ry + top), (lx + left, ly + top)))
    return faces


def _find_pupils(face: FloatImage) -> tuple[Point, Point] | None:
    """The pupils inside the box of a face; None if there are not two eyes in it."""
    grey, scale = _grey_at(face, EYES_PX)
    upper = grey[: int(0.65 * grey.shape[0])]
    eyes = []
    for name in ("haarcascade_eye", "haarcascade_eye_tree_eyeglasses"):
        eyes += list(_cascade(name).detectMultiScale(_bytes(upper), 1.05, 3))
    middle = grey.shape[1] / 2
    sides = []
    for on_the_left in (True, False):
        mine = [box for box in eyes if (box[0] + box[2] / 2 < middle) == on_the_left]
        if not mine:
            return None
        sides.append(np.median(np.array(mine), 0))
    (ax, ay, aw, ah), (bx, by, bw, bh) = sides
    distance_px = math.dist((ax + aw / 2, ay + ah / 2), (bx + bw / 2, by + bh / 2))
    iris_px = distance_px * IRIS_DIAMETER_MM / PUPIL_DISTANCE_MM
    right = _darkest_disc(grey, ax + aw / 2, ay + ah / 2, iris_px)
    left = _darkest_disc(grey, bx + bw / 2, by + bh / 2, iris_px)
    return (right[0] / scale, right[1] / scale), (left[0] / scale, left[1] / scale)


def _darkest_disc(grey: Plane, x: float, y: float, diameter_px: float) -> Point:
    """The centre of the darkest disc within an iris's width of a point."""
    reach = round(diameter_px)
    x0, y0 = max(0, round(x) - 2 * reach), max(0, round(y) - 2 * reach)
    part = grey[y0 : round(y) + 2 * reach, x0 : round(x) + 2 * reach]
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)).astype(np.float32)
    means = cv2.filter2D(part, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REPLICATE)
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]]
    away = np.hypot(xs + x0 - x, ys + y0 - y)
    means[away > reach] = np.inf
    row, column = np.unravel_index(int(np.argmin(means)), means.shape)
    return float(column + x0 + 0.5), float(row + y0 + 0.5)


def _grey_at(rgb: FloatImage, long_side_px: int) -> tuple[Plane, float]:
    """Luma reduced to that long side, and its scale."""
    scale = min(1.0, long_side_px / max(rgb.shape[:2]))
    size = (max(1, round(rgb.shape[1] * scale)), max(1, round(rgb.shape[0] * scale)))
    small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    return small @ _LIGHT, scale


def _bytes(grey: Plane) -> NDArray[np.uint8]:
    return (255 * np.clip(grey, 0, 1)).astype(np.uint8)


@lru_cache(maxsize=8)
def _cascade(name: str) -> Any:
    return cv2.CascadeClassifier(f"{cv2.data.haarcascades}{name}.xml")  # type: ignore[attr-defined]
