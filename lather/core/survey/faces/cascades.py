"""Where faces are: the first guess of their handles.

Faces and eyes are found with OpenCV's cascades (Viola and Jones 2001); each pupil is set on the
darkest disc of an iris's size; the other handles follow from mean proportions until somebody
drags them.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.survey.faces.geometry import PUPIL_DISTANCE_MM, FaceGeometry, Point
from lather.core.survey.faces.snapping import IRIS_DIAMETER_MM, darkest_disc
from lather.core.work import NEVER, CancelToken

FACES_PX, EYES_PX = 640, 320  # sizes at which faces, and the eyes of a face, are looked for
_LIGHT = np.array([0.3, 0.59, 0.11], dtype=np.float32)


def find_faces(rgb: FloatImage, cancel: CancelToken = NEVER) -> list[FaceGeometry]:
    """Faces seen from the front or a little from the side, the largest first; may be empty.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    """
    grey, scale = _grey_at(rgb, FACES_PX)
    cancel.check()
    boxes = _cascade("haarcascade_frontalface_alt2").detectMultiScale(_bytes(grey), 1.05, 4)
    faces = []
    for x, y, width, height in sorted(boxes, key=lambda box: -box[2]):
        top, left = int(y / scale), int(x / scale)
        part = rgb[top : top + int(height / scale), left : left + int(width / scale)]
        pupils = _find_pupils(part, cancel)
        if pupils is not None:
            (rx, ry), (lx, ly) = pupils
            faces.append(FaceGeometry.from_pupils((rx + left, ry + top), (lx + left, ly + top)))
    return faces


def _find_pupils(face: FloatImage, cancel: CancelToken) -> tuple[Point, Point] | None:
    """The pupils inside the box of a face; None if there are not two eyes in it."""
    grey, scale = _grey_at(face, EYES_PX)
    upper = grey[: int(0.65 * grey.shape[0])]
    eyes = []
    for name in ("haarcascade_eye", "haarcascade_eye_tree_eyeglasses"):
        cancel.check()
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
    right = _pupil_at(grey, ax + aw / 2, ay + ah / 2, iris_px)
    left = _pupil_at(grey, bx + bw / 2, by + bh / 2, iris_px)
    return (right[0] / scale, right[1] / scale), (left[0] / scale, left[1] / scale)


def _pupil_at(grey: Plane, x: float, y: float, iris_px: float) -> Point:
    """The pupil of the eye whose box has its middle there."""
    reach = 2 * round(iris_px)
    x0, y0 = max(0, round(x) - reach), max(0, round(y) - reach)
    part = np.ascontiguousarray(grey[y0 : round(y) + reach, x0 : round(x) + reach])
    found = darkest_disc(part, x - x0, y - y0, iris_px, iris_px)
    return found[0] + x0, found[1] + y0


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
