"""The guided filter: masks that follow the edges of the picture.

Source: He, Sun, Tang 2010, "Guided Image Filtering", with a colour guide.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane

_PAIRS = ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))


class Guide:
    """A picture made ready to guide any number of masks.

    Parameters
    ----------
    image : (H, W, 3) float32.
    radius_px : of the square windows.
    evenness : variance of the image below which a window counts as even, in its own units.
    """

    def __init__(self, image: FloatImage, radius_px: int, evenness: float) -> None:
        # Channel by channel: planes that lie apart in memory are far quicker to go through.
        self._channels = cv2.split(image)
        self._side = (2 * radius_px + 1,) * 2
        self._centre = [self._mean(channel) for channel in self._channels]
        a, b, c, d, e, f = (
            self._mean(self._channels[one] * self._channels[other])
            - self._centre[one] * self._centre[other]
            + np.float32(evenness if one == other else 0)
            for one, other in _PAIRS
        )
        # The inverse of each window's covariance, by cofactors.
        cofactors = (d * f - e * e, c * e - b * f, b * e - c * d,
                     a * f - c * c, b * c - a * e, a * d - b * b)  # fmt: skip
        scale = 1 / (a * cofactors[0] + b * cofactors[1] + c * cofactors[2])
        self._inverse = tuple(cofactor * scale for cofactor in cofactors)

    def refine(self, mask: Plane) -> Plane:
        """(H, W) 0-1: smoothed where the picture is even, sharp where it has an edge."""
        out = np.zeros_like(mask)
        rows, columns = np.flatnonzero(mask.any(1)), np.flatnonzero(mask.any(0))
        if len(rows) == 0:
            return out
        margin = 2 * self._side[0]  # beyond it nothing of the mask is felt
        box = (
            slice(max(0, rows[0] - margin), rows[-1] + margin + 1),
            slice(max(0, columns[0] - margin), columns[-1] + margin + 1),
        )
        channels = [channel[box] for channel in self._channels]
        out[box] = _applied(self._slopes(mask[box], box), channels)
        return out

    def enlarge(self, mask: Plane, image: FloatImage) -> Plane:
        """The same mask refined at the size of a larger version of the guiding picture."""
        return self.enlargement(mask).rows(cv2.split(image), 0, image.shape[0])

    def enlargement(self, mask: Plane) -> Enlargement:
        """The mask made ready to be refined at other sizes, in parts."""
        whole = slice(0, mask.shape[0]), slice(0, mask.shape[1])
        return Enlargement(self._slopes(mask, whole))

    def _slopes(self, mask: Plane, box: tuple[slice, slice]) -> list[Plane]:
        """How the mask follows from the picture around each pixel: three slopes, an offset."""
        channels = [channel[box] for channel in self._channels]
        centre = [plane[box] for plane in self._centre]
        level = self._mean(mask)
        x, y, z = (
            self._mean(channel * mask) - middle * level
            for channel, middle in zip(channels, centre, strict=True)
        )
        p, q, r, s, t, u = (part[box] for part in self._inverse)
        slopes = [p * x + q * y + r * z, q * x + s * y + t * z, r * x + t * y + u * z]
        for slope, middle in zip(slopes, centre, strict=True):
            level -= slope * middle
        return [self._mean(np.asarray(plane, dtype=np.float32)) for plane in (*slopes, level)]

    def _mean(self, plane: FloatImage) -> FloatImage:
        averaged: FloatImage = cv2.blur(plane, self._side, borderType=cv2.BORDER_REFLECT)
        return averaged


class Enlargement:
    """A mask for a larger version of the picture that guided it.

    What is finer than the guide's pixels, single hairs above all, comes out as the picture
    shows it. Source: He, Sun 2015, "Fast Guided Filter".

    Parameters
    ----------
    slopes : (h, w) each, of the mask by the picture's three channels, and its offset.
    """

    def __init__(self, slopes: list[Plane]) -> None:
        self._slopes = slopes

    def rows(self, channels: Sequence[Plane], top: int, height: int) -> Plane:
        """(n, W) 0-1: the rows of the mask from `top` on.

        Parameters
        ----------
        channels : (n, W) each, those rows of the larger picture, in the guide's units.
        height : of the whole larger picture.
        """
        small_height, small_width = self._slopes[0].shape
        n_rows, width = channels[0].shape
        if n_rows == height:
            near = [cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR)
                    for plane in self._slopes]  # fmt: skip
            return _applied(near, channels)
        ys = (np.arange(top, top + n_rows) + 0.5) * (small_height / height) - 0.5
        xs = (np.arange(width) + 0.5) * (small_width / width) - 0.5
        first = max(0, int(ys[0]) - 1)
        map_x, map_y = np.meshgrid(xs.astype(np.float32), (ys - first).astype(np.float32))
        return _applied([
            cv2.remap(plane[first : int(ys[-1]) + 3], map_x, map_y, cv2.INTER_LINEAR,
                      borderMode=cv2.BORDER_REPLICATE)
            for plane in self._slopes
        ], channels)  # fmt: skip


def _applied(slopes: list[Plane], channels: Sequence[Plane]) -> Plane:
    """The mask that slopes and offset give on a picture, clipped to 0-1."""
    mask = slopes[3].copy()
    for slope, channel in zip(slopes[:3], channels, strict=True):
        mask += slope * channel
    return np.clip(mask, 0, 1, out=mask)
