"""Correcting a region of the portrait by painting on its mask."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from lather.core.area.combine import Combine
from lather.core.arrays import FULL, FloatImage
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document.painting.painting import LiveStroke, MaskPaint
from lather.document.planes import Regions, read_plane, with_plane
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK, Tiles
from lather.errors import EditError
from lather.render.lenses.table import render_region
from lather.render.screen.request import Shown
from lather.tools.base import Hand, Outcome, Work

_PLACE = slice(0, 3)  # of a dab: x, y, radius


def begin_correct_region(state: JobState, hand: Hand) -> Work:
    if not state.regions.masks:
        raise EditError(
            "Nothing was corrected", "the portrait has no regions yet", "survey it first"
        )
    if isinstance(hand.region, Part):
        raise EditError(
            "Nothing was corrected",
            f"the part '{hand.region.label}' follows from skin and the face's handles",
            "correct the skin, or drag a handle",
        )
    return RegionWork(state, hand, hand.region)


class RegionWork(Work):
    """A stroke on the mask of a region, which lies on a reduced picture."""

    def __init__(self, state: JobState, hand: Hand, region: Region) -> None:
        self._state = state
        self._region = region
        self._takes = hand.combine is Combine.TAKE
        self._scale = state.regions.scale

    @cached_property
    def _live(self) -> LiveStroke:
        """Made with the first dab, on the worker: reducing an area takes its time."""
        photo = self._state.photo
        width, height = (round(side * self._scale) for side in (photo.width, photo.height))
        base = self._state.regions.masks.get(self._region, BLACK_MASK)
        small = Rect(0, 0, max(1, width), max(1, height))
        area = _reduced_area(self._state, small)
        return LiveStroke(base, MaskPaint(0.0 if self._takes else 1.0), small, area)

    def add(self, dabs: Dabs) -> Rect:
        small = dabs.copy()
        small[:, _PLACE] *= np.float32(self._scale)
        rect = self._live.add(small)
        x0, y0, x1, y1 = (v / self._scale for v in (rect.x0, rect.y0, rect.x1, rect.y1))
        return Rect(int(x0) - 2, int(y0) - 2, int(x1) + 3, int(y1) + 3).intersect(
            self._state.photo.rect
        )

    def preview(self) -> JobState:
        regions = self._with(self._state.regions, self._live.tiles())
        return replace(self._state, regions=regions)

    def shows(self) -> Shown:
        return Shown.LENS

    def shown(self, rect: Rect, level: int) -> FloatImage:
        return render_region(self.preview(), self._region, rect, level)

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:  # noqa: ARG002
        if self._live.rect.empty:
            return None
        name = f"{'Take from' if self._takes else 'Add to'} region: {self._region.label}"
        begun = self._state.regions
        done = self._done(begun)

        def apply(now: JobState) -> JobState:
            if now.regions is begun:
                return replace(now, regions=done)
            if now.regions.scale != begun.scale or not now.regions.masks:
                raise EditError(
                    "The last stroke was dropped", "the regions were measured anew meanwhile",
                    "paint it again",
                )  # fmt: skip
            return replace(now, regions=self._done(now.regions))

        return Outcome(name, apply)

    def _done(self, regions: Regions) -> Regions:
        """The finished stroke on regions that may have changed since it began."""
        mask = self._live.laid_on(regions.masks.get(self._region, BLACK_MASK))
        after = self._with(regions, mask)
        return after if self._takes else _without_others(after, self._region, self._live)

    def _with(self, regions: Regions, mask: Tiles) -> Regions:
        masks = {**regions.masks, self._region: mask}
        return replace(regions, masks=masks, corrected=regions.corrected | {self._region})


def _reduced_area(state: JobState, small: Rect) -> Tiles | None:
    """The area, which limits this tool too, on the reduced picture."""
    if state.area is None:
        return None
    import cv2

    whole = read_plane(state.area, state.photo.rect)
    size = small.width, small.height
    return with_plane(BLACK_MASK, small, cv2.resize(whole, size, interpolation=cv2.INTER_AREA))


def _without_others(regions: Regions, region: Region, stroke: LiveStroke) -> Regions:
    """Where one region was added, the others give way."""
    masks = dict(regions.masks)
    for other, tiles in regions.masks.items():
        if other is region:
            continue
        changed = {}
        for key in tiles.tiles:
            if stroke.coverage.has(key):
                left = tiles.pixels(key) * (1 - stroke.covered(key))
                changed[key] = np.minimum(left + 0.5, FULL).astype(np.uint16)
        masks[other] = tiles.with_tiles(changed)
    return replace(regions, masks=masks)
