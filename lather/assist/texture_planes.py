"""What only shows close by, of two states: fine lightness, its products, and what is clipped, as
means over the pixels of a coarser view."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lather.assist.skin_view import FINEST_MM, STRIP_PX, coarsest_level
from lather.core.arrays import FloatImage, Plane
from lather.core.check import skin as check
from lather.core.colour.labs import lab_of
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.core.work import CancelToken
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.compositor import render, render_photo

GRAIN_SIDE_PX, GRAIN_BLOCKS = 96, 5
Strip = tuple[Plane, NDArray[np.bool_]]
CLIPPED = 0.5 / 255  # next to black or white
SAMPLED_ROWS = 4  # of the view, of each strip that is measured while it has to be quick


class FineStrips:
    """Fine lightness of a state, and what is clipped in it, strip by strip."""

    def __init__(self, state: JobState, *, keeps: bool = False) -> None:
        """`keeps`: a strip that is asked for again is not worked out again."""
        self.state = state
        self._kept: dict[tuple[Rect, int], Strip] | None = {} if keeps else None

    def read(self, strip: Rect, level: int, sigma_px: float) -> Strip:
        """(h, w) each, of a rectangle of a level."""
        if self._kept is not None and (strip, level) in self._kept:
            return self._kept[strip, level]
        whole = self.state.photo.rect.at_level(level)
        wide = strip.grown(gaussian_reach_px(sigma_px)).intersect(whole)
        inside = strip.shifted(-wide.x0, -wide.y0).slices
        pixels = render(self.state, wide, level)
        light = np.ascontiguousarray(lab_of(pixels)[..., 0])
        found = check.fine_lightness(light, sigma_px)[inside], clipped(pixels[inside])
        if self._kept is not None:
            self._kept[strip, level] = found
        return found


class TexturePlanes:
    """Mean squares and products of fine lightness, at the start and now, over pixels of a view.

    Attributes
    ----------
    measured : (h,) bool, which rows of the view were measured.
    clipped : (h, w), the share of each pixel that is clipped and was not.
    fine : fine lightness at the start and now, (H, W) at `level`, if it was asked for.
    """

    def __init__(
        self, start: FineStrips, now: JobState, view_level: int, cancel: CancelToken, *,
        most_mm: float = FINEST_MM, every: int = 1, keep_fine: bool = False,
    ) -> None:  # fmt: skip
        """A pixel is at most `most_mm`; only one strip in `every` is measured."""
        level = min(coarsest_level(now, most_mm), view_level)
        self.level, view = level, now.photo.rect.at_level(view_level)
        self._sigma_px = check.TEXTURE_MM * px_per_mm(now) / 2**level
        side, whole = 1 << (view_level - level), now.photo.rect.at_level(level)
        self._planes = [np.zeros((view.height, view.width), dtype=np.float32) for _ in range(3)]
        self.measured = np.zeros(view.height, dtype=bool)
        self.clipped = np.zeros((view.height, view.width), dtype=np.float32)
        self.fine: tuple[Plane, Plane] | None = None
        if keep_fine:
            shape = whole.height, whole.width
            self.fine = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        self._grain_l = _grain_l(now, level, whole)
        rows = SAMPLED_ROWS if every > 1 else max(1, STRIP_PX // side)
        for top in range(0, view.height, every * rows):
            cancel.check()
            band = Rect(0, top, view.width, min(top + rows, view.height))
            strip = Rect(0, band.y0 * side, whole.width, min(band.y1 * side, whole.height))
            self._measure(start, FineStrips(now), band, strip)

    def _measure(self, start: FineStrips, now: FineStrips, band: Rect, strip: Rect) -> None:
        import cv2

        size = band.width, band.height
        was, was_clipped = start.read(strip, self.level, self._sigma_px)
        is_now, is_clipped = now.read(strip, self.level, self._sigma_px)
        for plane, values in zip(
            self._planes, (was * was, was * is_now, is_now * is_now), strict=True
        ):
            plane[band.slices] = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
        newly = is_clipped & ~was_clipped
        self.clipped[band.slices] = cv2.resize(
            newly.astype(np.float32), size, interpolation=cv2.INTER_AREA
        )
        self.measured[band.y0 : band.y1] = True
        if self.fine is not None:
            for kept, values in zip(self.fine, (was, is_now), strict=True):
                kept[strip.slices] = values

    @property
    def grain(self) -> float:
        """Variance of the grain in fine lightness."""
        return check.grain_variance(self._grain_l, self._sigma_px)

    @property
    def start(self) -> Plane:
        """(h, w): mean square of fine lightness in each pixel of the view."""
        return self._planes[0]

    @property
    def product(self) -> Plane:
        """(h, w): mean of the start's fine lightness times the present one."""
        return self._planes[1]

    @property
    def now(self) -> Plane:
        return self._planes[2]

    def of(self, weight: Plane) -> tuple[float, float, float]:
        """Variance of grain, mean square at the start, mean square now, of what a weight takes."""
        weighed = weight * self.measured[:, None]
        total = max(float(weighed.sum()), 1e-6)
        was, now = (float((plane * weighed).sum()) / total for plane in (self.start, self.now))
        return min(self.grain, 0.9 * was), was, now


def clipped(pixels: FloatImage) -> NDArray[np.bool_]:
    """(h, w): where a channel of encoded pixels says no more."""
    red, green, blue = (pixels[..., channel] for channel in range(3))
    most = np.maximum(np.maximum(red, green), blue)
    least = np.minimum(np.minimum(red, green), blue)
    return np.asarray((most > 1 - CLIPPED) | (least < CLIPPED))


def _grain_l(state: JobState, level: int, whole: Rect) -> float:
    """Sigma of the grain in L* at a level, where the photo is quietest."""
    from lather.core.filter.grain import grain_sigma_l

    quietest = math.inf
    for row in range(GRAIN_BLOCKS):
        for column in range(GRAIN_BLOCKS):
            x = (whole.width - GRAIN_SIDE_PX) * column // (GRAIN_BLOCKS - 1)
            y = (whole.height - GRAIN_SIDE_PX) * row // (GRAIN_BLOCKS - 1)
            block = Rect(x, y, x + GRAIN_SIDE_PX, y + GRAIN_SIDE_PX).intersect(whole)
            pixels = render_photo(state.photo, block, level)
            is_clear = 0.05 < float(pixels[..., :3].mean()) < 0.95
            sigma = grain_sigma_l(lab_of(pixels)[..., 0] / np.float32(100))
            if is_clear and sigma > 0:
                quietest = min(quietest, sigma)
    return 0.0 if math.isinf(quietest) else quietest
