"""What only shows close by, of two states: fine lightness, its products, and what is clipped, as
means over the pixels of a coarser view."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lather.assist.skin_view import FINEST_MM, STRIP_PX, coarsest_level
from lather.core.arrays import FloatImage, Plane
from lather.core.check import skin as check
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.core.work import CancelToken
from lather.document.diff import changed_cells
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.render.compositor import render, render_photo
from lather.render.measured import measured_lightness

GRAIN_SIDE_PX, GRAIN_BLOCKS = 96, 5
CLIPPED = 0.5 / 255  # next to black or white
FEW_ROWS = 8  # of the view, that are measured anew together where something changed


class TexturePlanes:
    """Mean squares and products of fine lightness, at the start and now, over pixels of a view.

    Attributes
    ----------
    state : what there is now.
    level : of the mip pyramid, at which texture is measured.
    fine : fine lightness at the start and now, (H, W) at `level`, if it was asked for.
    """

    def __init__(
        self, start: JobState, now: JobState, view_level: int, cancel: CancelToken, *,
        most_mm: float = FINEST_MM, keep_fine: bool = False, earlier: TexturePlanes | None = None,
    ) -> None:  # fmt: skip
        """A pixel is at most `most_mm`. `earlier` is of the same start and view: only what has
        changed since is measured anew."""
        self.state = now
        self.level = min(coarsest_level(now, most_mm), view_level)
        view, whole = now.photo.rect.at_level(view_level), now.photo.rect.at_level(self.level)
        self._sigma_px = check.TEXTURE_MM * px_per_mm(now) / 2**self.level
        self._side = 1 << (view_level - self.level)
        self._planes = [np.zeros((view.height, view.width), dtype=np.float32) for _ in range(4)]
        self.fine: tuple[Plane, Plane] | None = None
        if keep_fine:
            shape = whole.height, whole.width
            self.fine = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        self._grain_l: float = (
            quietest_grain_l(now, self.level) if earlier is None else earlier._grain_l
        )
        changed = None if earlier is None else changed_cells(earlier.state, now)
        rows = max(1, STRIP_PX // self._side) if earlier is None else FEW_ROWS
        for top in range(0, view.height, rows):
            cancel.check()
            band = Rect(0, top, view.width, min(top + rows, view.height))
            strip = Rect(0, band.y0 * self._side, whole.width,
                         min(band.y1 * self._side, whole.height))  # fmt: skip
            if earlier is not None and changed is not None and self._is_far(strip, changed):
                for plane, before in zip(self._planes, earlier._planes, strict=True):
                    plane[band.slices] = before[band.slices]
            else:
                self._measure(start, now, band, strip)

    def _is_far(self, strip: Rect, changed: set[Key]) -> bool:
        """True if no tile that changed comes near a strip of the level."""
        reach = gaussian_reach_px(self._sigma_px) + 1
        top, bottom = ((y << self.level) // TILE_PX for y in (strip.y0 - reach, strip.y1 + reach))
        return all(not top <= row <= bottom for row, _ in changed)

    def _measure(self, start: JobState, now: JobState, band: Rect, strip: Rect) -> None:
        import cv2

        size = band.width, band.height
        (was, was_clipped), (is_now, is_clipped) = (self._read(s, strip) for s in (start, now))
        newly = (is_clipped & ~was_clipped).astype(np.float32)
        for plane, values in zip(
            self._planes, (was * was, was * is_now, is_now * is_now, newly), strict=True
        ):
            plane[band.slices] = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
        if self.fine is not None:
            for kept, values in zip(self.fine, (was, is_now), strict=True):
                kept[strip.slices] = values

    def _read(self, state: JobState, strip: Rect) -> tuple[Plane, NDArray[np.bool_]]:
        """Fine lightness of a strip, and what is clipped in it."""
        whole = state.photo.rect.at_level(self.level)
        wide = strip.grown(gaussian_reach_px(self._sigma_px)).intersect(whole)
        inside = strip.shifted(-wide.x0, -wide.y0).slices
        pixels = render(state, wide, self.level)
        light = measured_lightness(state.photo, pixels)
        return check.fine_lightness(light, self._sigma_px)[inside], clipped(pixels[inside])

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

    @property
    def clipped(self) -> Plane:
        """(h, w), the share of each pixel that is clipped and was not."""
        return self._planes[3]

    def of(self, weight: Plane) -> tuple[float, float, float]:
        """Variance of grain, mean square at the start, mean square now, of what a weight takes."""
        total = max(float(weight.sum()), 1e-6)
        was, now = (float((plane * weight).sum()) / total for plane in (self.start, self.now))
        return min(self.grain, 0.9 * was), was, now


def clipped(pixels: FloatImage) -> NDArray[np.bool_]:
    """(h, w): where a channel of encoded pixels says no more."""
    red, green, blue = (pixels[..., channel] for channel in range(3))
    most = np.maximum(np.maximum(red, green), blue)
    least = np.minimum(np.minimum(red, green), blue)
    return np.asarray((most > 1 - CLIPPED) | (least < CLIPPED))


def quietest_grain_l(state: JobState, level: int) -> float:
    """Sigma of the grain in L* at a level, where the photo is quietest."""
    from lather.core.filter.grain import grain_sigma_l

    quietest, whole = math.inf, state.photo.rect.at_level(level)
    for row in range(GRAIN_BLOCKS):
        for column in range(GRAIN_BLOCKS):
            x = (whole.width - GRAIN_SIDE_PX) * column // (GRAIN_BLOCKS - 1)
            y = (whole.height - GRAIN_SIDE_PX) * row // (GRAIN_BLOCKS - 1)
            block = Rect(x, y, x + GRAIN_SIDE_PX, y + GRAIN_SIDE_PX).intersect(whole)
            pixels = render_photo(state.photo, block, level)
            is_clear = 0.05 < float(pixels[..., :3].mean()) < 0.95
            sigma = grain_sigma_l(measured_lightness(state.photo, pixels) / np.float32(100))
            if is_clear and sigma > 0:
                quietest = min(quietest, sigma)
    return 0.0 if math.isinf(quietest) else quietest
