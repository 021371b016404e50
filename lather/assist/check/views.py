"""The pictures that a check compares: the photo and what became of it, at the sizes it needs.

Everything but displacement, symmetry and straight lines is compared where the photo has it:
without the reshapes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lather.assist.check.start import start_of
from lather.assist.even.scores import LEAST_CM2, SCORED
from lather.assist.even.shining import shine_weight
from lather.assist.grain_kept import grain_kept, shared_grain
from lather.assist.shape.measures import ShapeMeasures, shape_measures
from lather.assist.skin_view import (
    CLOSE_MM,
    SkinView,
    coarsest_level,
    marks_of,
    measured_at,
    skin_view,
)
from lather.assist.texture_planes import TexturePlanes, quietest_grain_l
from lather.core.arrays import FloatImage, Plane
from lather.core.check import skin as measure
from lather.core.check.edges import Mask, touched_mask
from lather.core.colour.labs import lab_of
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.core.tone.skin_picture import SURE_SKIN
from lather.core.work import NEVER, CancelToken
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage
from lather.render.space import in_photo_space

FINE_MM = 0.15  # a pixel at which texture is compared
TONE_MM, QUICK_MM = 0.5, 0.6  # and tone; the same while it has to be quick
SHINES = 0.1  # weight of shine
LARGE_MM = 3.0  # over which colour is compared
DETAIL_MM = 3.0  # what is finer in lips, brows, hair and clothes
OTHERS = (Region.LIPS, Region.IRIS, Region.BROWS, Region.HAIR, Region.CLOTHING)
SURE_OTHER, LEAST_OTHER_MM2 = 0.8, 20.0  # coverage of them; what there must be of one
SURE_WHITE, LEAST_WHITE_MM2 = 0.6, 3.0  # coverage of a white; what there must be of it
LEAST_CHANGE = 0.05  # in Lab, with less nothing was changed
Lab = NDArray[np.floating]


@dataclass(frozen=True, eq=False)
class Close:
    """Both pictures at a size at which edges and marks can be told, encoded and in Lab."""

    level: int
    mm_per_px: float
    start_rgb: FloatImage
    now_rgb: FloatImage
    start: FloatImage
    now: FloatImage

    @property
    def rect(self) -> Rect:
        return Rect(0, 0, self.start.shape[1], self.start.shape[0])

    def contrasts(self, place: Rect, mark: Mask, ring: Mask) -> tuple[Lab, Lab]:
        """How far a mark stands out from the ring around it, in Lab, at the start and now."""
        was, now = (lab[place.slices][mark].mean(0) - np.median(lab[place.slices][ring], axis=0)
                    for lab in (self.start, self.now))  # fmt: skip
        return was, now


@dataclass(frozen=True, eq=False)
class White:
    """Lab of teeth or eye whites at the start and now, and their middle in the photo."""

    start: Lab
    now: Lab
    middle: tuple[float, float]


class Seen:
    """The skin of a state, as it is measured.

    Attributes
    ----------
    most_mm : how large a pixel may be.
    """

    def __init__(self, state: JobState, most_mm: float, cancel: CancelToken = NEVER) -> None:
        self.state, self.most_mm, self._cancel = state, most_mm, cancel

    @cached_property
    def skin(self) -> SkinView:
        """EditError before a survey."""
        return skin_view(self.state, self._cancel, most_mm=self.most_mm)

    @cached_property
    def lab(self) -> FloatImage:
        return lab_of(self.skin.picture.rgb)

    @cached_property
    def unevenness(self) -> Plane:
        """(h, w): the square of what lies between 1 and 5 mm, in Lab."""
        bands = measure.blotches(self.skin.picture)
        return np.asarray(sum(np.square(band) for band in bands), dtype=np.float32)

    @cached_property
    def detail(self) -> Plane:
        """(h, w): L* finer than 3 mm."""
        lightness = np.ascontiguousarray(self.lab[..., 0])
        return measure.fine_lightness(lightness, self.skin.picture.px(DETAIL_MM))

    @cached_property
    def means(self) -> FloatImage:
        """(h, w, 3): Lab over 3 mm of plain skin."""
        picture = self.skin.picture
        planes = (np.ascontiguousarray(self.lab[..., channel]) for channel in range(3))
        return np.stack([picture.mean(plane, picture.plain, LARGE_MM) for plane in planes], -1)

    def large_light(self, matt: Plane) -> Plane:
        """(h, w): L* after a Gaussian of 10 mm, of what a weight takes in."""
        return measure.large_light(self.skin.picture, matt)


class Start(Seen):
    """What a check compares with, worked out once for all checks of a photo.

    Attributes
    ----------
    texture : the latest that was measured quickly.
    """

    def __init__(self, state: JobState, most_mm: float) -> None:
        super().__init__(state, most_mm)
        self.texture: TexturePlanes | None = None
        self._middles: dict[Part, tuple[float, float]] = {}

    @cached_property
    def glossy(self) -> Plane:
        """(h, w) 0-1: where skin glitters."""
        picture = self.skin.picture
        return measure.glossy(picture, shine_weight(self.state, picture.skin.shape, self._cancel))

    @cached_property
    def weights(self) -> dict[Part, tuple[Plane, Plane]]:
        """Plain skin of each part, and what of it does not shine; no part with too little."""
        picture, found = self.skin.picture, {}
        for part in SCORED:
            weight = np.asarray(self.skin.parts[part] * picture.plain, dtype=np.float32)
            if picture.mm2(float(weight.sum())) >= 100 * LEAST_CM2:
                found[part] = weight, measure.matt(weight, self.glossy)
        return found

    @cached_property
    def others(self) -> dict[Region, Mask]:
        """(h, w) each: where other regions surely are; none of which too little is seen."""
        view, ground, found = self.skin, photo_ground(self.state), {}
        for region in OTHERS:
            inside = region_coverage(ground, region, view.rect, view.level) > SURE_OTHER
            if view.picture.mm2(float(inside.sum())) >= LEAST_OTHER_MM2:
                found[region] = inside
        return found

    @cached_property
    def grain_of_detail(self) -> float:
        """Variance of the grain in `detail`."""
        sigma_px = self.skin.picture.px(DETAIL_MM)
        return measure.grain_variance(quietest_grain_l(self.state, self.skin.level), sigma_px)

    def middle(self, part: Part) -> tuple[float, float]:
        """x, y in the photo of a pixel in a part's middle, even where the part is bent."""
        if part not in self._middles:
            ys, xs = np.nonzero(self.weights[part][0] > 0.5)
            n = int(np.argmin(np.hypot(xs - xs.mean(), ys - ys.mean())))
            self._middles[part] = self.skin.middle_of(float(xs[n]), float(ys[n]))
        return self._middles[part]

    @cached_property
    def matt(self) -> Plane:
        """(h, w) 0-1: skin that does not shine."""
        return np.asarray(self.skin.picture.is_skin * (1 - self.glossy), dtype=np.float32)

    @cached_property
    def light(self) -> Plane:
        return self.large_light(self.matt)


class Views:
    """What is compared, each picture made when a measure first asks for it.

    Attributes
    ----------
    state : the whole retouch.
    flat : it, without what moves skin.
    begun : the skin that it is compared with.
    now : the skin of `flat`.
    quick : on a reduced picture, for what is measured after every stroke.
    """

    def __init__(self, state: JobState, cancel: CancelToken = NEVER, *, quick: bool = False):
        self.state, self.cancel, self.quick = state, cancel, quick
        self.flat = in_photo_space(state)
        most_mm = QUICK_MM if quick else TONE_MM
        start = start_of(state, self.flat)
        lights = start.layers[1:]
        self.begun = _STARTS[quick].of(
            (state.photo, state.regions, state.findings, state.brief, *lights),
            lambda: Start(start, most_mm),
        )
        self.now = Seen(self.flat, most_mm, cancel)
        self._whites: dict[Region, White | None] = {}

    @property
    def start(self) -> JobState:
        """What it is compared with."""
        return self.begun.state

    @cached_property
    def texture(self) -> TexturePlanes:
        """While it has to be quick only what has changed since the last time is measured."""
        begun = self.begun
        planes = TexturePlanes(
            self.start, self.flat, begun.skin.level, self.cancel, most_mm=FINE_MM,
            keep_fine=not self.quick, earlier=begun.texture,
        )  # fmt: skip
        if self.quick:
            begun.texture = planes
        return planes

    @cached_property
    def local_texture(self) -> tuple[Plane, Plane, Plane]:
        """(h, w) each, at the size of `skin`: means over 2 mm of the square of fine lightness at
        the start, of the product, and of the square now."""
        picture, planes = self.begun.skin.picture, self.texture
        inside = np.asarray(picture.plain, dtype=np.float32)
        start, product, now = (picture.mean(plane, inside, measure.LOCAL_MM)
                               for plane in (planes.start, planes.product, planes.now))  # fmt: skip
        return start, product, now

    @cached_property
    def usual_texture(self) -> float:
        """Mean square of fine lightness at the start, in the middle of the skin that does not
        shine."""
        held = self.local_texture[0][(self.begun.matt * self.begun.skin.picture.plain) > 0.5]
        return float(np.median(held)) if held.size else math.inf

    @cached_property
    def grain_kept(self) -> float:
        """Which share of the start's grain skin still has, as sigmas; at most all of it."""
        matt = self.sure_skin & ~self.shining
        return grain_kept(self.start, self.flat, matt, self.close.level, self.cancel)

    @property
    def shared_grain(self) -> float:
        """Variance of the grain that fine lightness at the start and now have in common."""
        return shared_grain(self.texture.grain, self.grain_kept)

    @cached_property
    def close(self) -> Close:
        if self.quick:
            seen, level = (self.begun, self.now), self.now.skin.level
            rgb, lab = [one.skin.picture.rgb for one in seen], [one.lab for one in seen]
        else:
            level = coarsest_level(self.flat, CLOSE_MM)
            rgb = [measured_at(state, level, self.cancel) for state in (self.start, self.flat)]
            lab = [self._lab(pixels) for pixels in rgb]
        return Close(level, (1 << level) / px_per_mm(self.state), *rgb, *lab)

    def _lab(self, rgb: FloatImage) -> FloatImage:
        self.cancel.check()
        return lab_of(rgb)

    @cached_property
    def touched(self) -> Mask:
        """(h, w) at the size of `close`: where the change shows."""
        close = self.close
        return touched_mask(close.start, close.now, close.mm_per_px)

    @cached_property
    def changed(self) -> Mask:
        """(h, w) at the size of `close`: where anything was changed at all."""
        away = np.abs(self.close.now - self.close.start).max(-1)
        return np.asarray(away > LEAST_CHANGE)

    @cached_property
    def close_skin(self) -> Plane:
        """(h, w) 0-1 at the size of `close`: where skin is."""
        if self.close.level == self.begun.skin.level:
            return self.begun.skin.picture.skin
        return self.region(Region.SKIN, self.close.level)

    @cached_property
    def sure_skin(self) -> Mask:
        """(h, w) at the size of `close`: what is skin and nothing else."""
        return np.asarray(self.close_skin > SURE_SKIN)

    @cached_property
    def shining(self) -> Mask:
        """(h, w) at the size of `close`: patches of shine."""
        return shine_weight(self.state, self.close_skin.shape, self.cancel) > SHINES

    @cached_property
    def shape(self) -> ShapeMeasures | None:
        """What the reshapes come to; None if there are none."""
        return shape_measures(self.state)

    def white(self, region: Region) -> White | None:
        """Of the teeth or the eyes; None where hardly any of it is seen."""
        if region not in self._whites:
            self._whites[region] = self._median_white(region)
        return self._whites[region]

    def _median_white(self, region: Region) -> White | None:
        close = self.close
        inside = self.region(region, close.level) > SURE_WHITE
        if inside.sum() * close.mm_per_px**2 < LEAST_WHITE_MM2:
            return None
        start, now = (np.median(lab[inside], axis=0) for lab in (close.start, close.now))
        ys, xs = np.nonzero(inside)
        side = 1 << close.level
        middle = (float(np.median(xs)) + 0.5) * side, (float(np.median(ys)) + 0.5) * side
        return White(start, now, middle)

    def region(self, region: Region | Part, level: int, rect: Rect | None = None) -> Plane:
        """(h, w) 0-1 of the picture at a level, or a rectangle of it."""
        whole = self.state.photo.rect.at_level(level)
        return region_coverage(photo_ground(self.state), region, rect or whole, level)

    def marks(self, level: int) -> Plane:
        """(h, w) 0-1: all that was found on skin, but patches of tone."""
        there = [f for f in self.state.findings.items if not f.kind.is_patch]
        return marks_of(there, self.state.photo.rect.at_level(level), level)


_STARTS: dict[bool, Last[Start]] = {True: Last(), False: Last()}

