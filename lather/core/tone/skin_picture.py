"""What evening looks at: a reduced picture, where skin is in it, and what of that is plain."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import to_encoded, to_linear
from lather.core.rect import Rect
from lather.core.work import NEVER, CancelToken

SURE_SKIN, NO_MARK = 0.9, 0.05
FLOOR = np.float32(0.004)  # linear light below which a logarithm means nothing
CLIPPED = 0.995  # encoded value from which a channel says no more
LEAST_SKIN_MM2 = 150.0  # of plain skin, with less of it there is nothing to compare with


def disc(radius_px: float) -> NDArray[np.uint8]:
    """What patches are grown by: a filled circle of at least a pixel to each side."""
    import cv2

    side = 2 * max(1, round(radius_px)) + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))


def encoded_light(light: FloatImage) -> FloatImage:
    """(h, w, 3) encoded, of logarithms of light as `SkinPicture.light` has them."""
    linear = np.maximum(np.exp(light) - FLOOR, 0)
    return np.ascontiguousarray(to_encoded(linear), dtype=np.float32)


@dataclass(frozen=True, eq=False)
class SkinPicture:
    """A picture of skin at the size at which tone is measured, 0.2-0.4 mm a pixel.

    Attributes
    ----------
    rgb : (h, w, 3) float32 encoded sRGB 0-1.
    skin : (h, w) 0-1, the share of a pixel that is skin.
    marks : (h, w) 0-1, what lies on it: findings that are no unevenness of tone.
    people : (h, w) small integers, whose skin it would be; each is compared with their own.
    mm_per_px : the scale of these pixels.
    cancel : asked by all that measures it, before every mean, which is what takes time.
    """

    rgb: FloatImage
    skin: Plane
    marks: Plane
    people: NDArray[np.int8]
    mm_per_px: float
    cancel: CancelToken = NEVER

    @property
    def rect(self) -> Rect:
        return Rect(0, 0, self.skin.shape[1], self.skin.shape[0])

    @cached_property
    def is_skin(self) -> NDArray[np.bool_]:
        return np.asarray(self.skin > SURE_SKIN)

    @cached_property
    def plain(self) -> NDArray[np.bool_]:
        """Skin with no mark on it."""
        return np.asarray(self.is_skin & (self.marks < NO_MARK))

    @cached_property
    def light(self) -> FloatImage:
        """(h, w, 3) natural logarithms of linear light."""
        linear = to_linear(self.rgb).astype(np.float32)
        return np.log(np.maximum(linear, 0) + FLOOR)

    def mean(self, plane: Plane, weight: Plane | NDArray[np.bool_], sigma_mm: float) -> Plane:
        """The mean around each pixel of what a weight takes in; Cancelled by the token."""
        self.cancel.check()
        from lather.core.tone.deviation import mean_within  # OpenCV: not for the first window

        weighed = np.asarray(weight, dtype=np.float32)
        return mean_within(plane, weighed, self.rect, self.px(sigma_mm))[0]

    def px(self, length_mm: float) -> float:
        return length_mm / self.mm_per_px

    def mm2(self, n_px: float) -> float:
        return n_px * self.mm_per_px**2

    def of_person(self, number: int) -> SkinPicture:
        """With the skin of one person alone; itself if there is nobody else's."""
        mine = self.people == number
        if mine.all():
            return self
        return replace(self, skin=self.skin * mine.astype(np.float32))

    @property
    def everybody(self) -> list[int]:
        """The people with enough plain skin to be compared with."""
        numbers, counts = np.unique(self.people[self.plain], return_counts=True)
        return [int(n) for n, count in zip(numbers, counts, strict=True)
                if self.mm2(count) >= LEAST_SKIN_MM2]  # fmt: skip
