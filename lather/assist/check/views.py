"""The pictures that a check compares: the photo and what became of it, at the sizes it needs.

Everything but displacement, symmetry and straight lines is compared where the photo has it:
without the reshapes.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from lather.assist.scores import LEAST_CM2, LEAST_MATT, SCORED, SHINES_ON_MM
from lather.assist.skin_view import STRIP_PX, SkinView, coarsest_level, marks_of, skin_view
from lather.assist.texture_planes import TexturePlanes
from lather.core.arrays import FloatImage, Plane
from lather.core.check import skin as measure
from lather.core.check.edges import Mask, touched_mask
from lather.core.colour.labs import lab_of
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Part, Region
from lather.core.tone.skin_picture import SkinPicture
from lather.core.work import NEVER, CancelToken
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.reshapes import without_reshapes
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.compositor import render
from lather.render.ground import ground_of
from lather.render.regions import region_coverage

CLOSE_MM, FINE_MM = 0.3, 0.15  # a pixel at which edges and texture are compared
TONE_MM, QUICK_MM = 0.5, 0.6  # and tone; the same while it has to be quick
LARGE_MM = 3.0  # over which colour is compared


@dataclass(frozen=True, eq=False)
class Close:
    """Lab of both pictures at a size at which edges and marks can be told."""

    level: int
    mm_per_px: float
    start: FloatImage
    now: FloatImage

    @property
    def rect(self) -> Rect:
        return Rect(0, 0, self.start.shape[1], self.start.shape[0])


class Start:
    """What a check compares with, worked out once for all checks of a photo.

    Attributes
    ----------
    state : the photo, and what lights it as a whole.
    most_mm : how large a pixel of its skin may be.
    """

    def __init__(self, state: JobState, most_mm: float) -> None:
        self.state, self.most_mm = state, most_mm
        self.texture: TexturePlanes | None = None  # the latest that was measured quickly
        self._middles: dict[Part, tuple[float, float]] = {}

    @cached_property
    def skin(self) -> SkinView:
        return skin_view(self.state, most_mm=self.most_mm)

    @cached_property
    def lab(self) -> FloatImage:
        return lab_of(self.skin.picture.rgb)

    @cached_property
    def glossy(self) -> Plane:
        """(h, w) 0-1: where skin glitters, which is neither texture nor form."""
        view = self.skin
        shines = [f for f in self.state.findings.items if f.kind is Kind.SHINE]
        marks = marks_of(shines, view.rect, view.level)
        mean = view.picture.mean(marks, view.picture.is_skin, SHINES_ON_MM)
        return np.asarray(np.clip(4 * mean, 0, 1), dtype=np.float32)

    @cached_property
    def weights(self) -> dict[Part, tuple[Plane, Plane]]:
        """Plain skin of each part, and what of it does not shine; no part with too little."""
        picture, found = self.skin.picture, {}
        for part in SCORED:
            weight = np.asarray(self.skin.parts[part] * picture.plain, dtype=np.float32)
            if picture.mm2(float(weight.sum())) < 100 * LEAST_CM2:
                continue
            matt = np.asarray(weight * (1 - self.glossy), dtype=np.float32)
            found[part] = weight, matt if matt.sum() > LEAST_MATT * weight.sum() else weight
        return found

    def middle(self, part: Part) -> tuple[float, float]:
        """x, y of a pixel of a part that lies in its middle, even where the part is bent."""
        if part not in self._middles:
            ys, xs = np.nonzero(self.weights[part][0] > 0.5)
            away = np.hypot(xs - xs.mean(), ys - ys.mean())
            n = int(np.argmin(away))
            self._middles[part] = float(xs[n]), float(ys[n])
        return self._middles[part]

    @cached_property
    def large_light(self) -> Plane:
        return measure.large_light(self.skin.picture, self.matt)

    @cached_property
    def matt(self) -> Plane:
        """(h, w) 0-1: skin that does not shine."""
        return np.asarray(self.skin.picture.is_skin * (1 - self.glossy), dtype=np.float32)

    @cached_property
    def unevenness(self) -> Plane:
        """(h, w): the square of what lies between 1 and 5 mm, in Lab."""
        return _squares(measure.blotches(self.skin.picture))

    @cached_property
    def means(self) -> FloatImage:
        return _means(self.skin.picture, self.lab)


class Views:
    """What is compared, each picture made when a measure first asks for it.

    Attributes
    ----------
    state : the whole retouch.
    flat : it, without what moves skin.
    start : what it is compared with.
    quick : on a reduced picture, for what is measured after every stroke.
    """

    def __init__(self, state: JobState, cancel: CancelToken = NEVER, *, quick: bool = False):
        self.state, self.cancel, self.quick = state, cancel, quick
        self.flat = without_reshapes(state)
        most_mm = QUICK_MM if quick else TONE_MM
        lit = start_of(state)
        lighting = state.layers if state.brief.style.forbids_retouching else None
        self.begun = _STARTS[quick].of(
            (state.photo, state.regions, state.findings, state.brief, lighting),
            lambda: Start(lit, most_mm),
        )
        self.start = self.begun.state

    @cached_property
    def skin(self) -> SkinView:
        """As it is now; EditError before a survey."""
        return skin_view(self.flat, self.cancel, most_mm=self.begun.most_mm)

    @cached_property
    def lab(self) -> FloatImage:
        return lab_of(self.skin.picture.rgb)

    @property
    def weights(self) -> dict[Part, tuple[Plane, Plane]]:
        return self.begun.weights

    @cached_property
    def large_light(self) -> Plane:
        """(h, w): L* after a Gaussian of 10 mm."""
        return measure.large_light(self.skin.picture, self.begun.matt)

    @cached_property
    def unevenness(self) -> Plane:
        return _squares(measure.blotches(self.skin.picture))

    @cached_property
    def means(self) -> FloatImage:
        """(h, w, 3): Lab over 3 mm of plain skin."""
        return _means(self.skin.picture, self.lab)

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
    def close(self) -> Close:
        if self.quick:
            level = self.skin.level
            return Close(level, (1 << level) / px_per_mm(self.state), self.begun.lab, self.lab)
        level = coarsest_level(self.flat, CLOSE_MM)
        start, now = (_lab(state, level, self.cancel) for state in (self.start, self.flat))
        return Close(level, (1 << level) / px_per_mm(self.state), start, now)

    @cached_property
    def touched(self) -> Mask:
        """(h, w) at the size of `close`: where the change shows."""
        close = self.close
        return touched_mask(close.start, close.now, close.mm_per_px)

    @cached_property
    def shining(self) -> Mask:
        """(h, w) at the size of `close`: patches of shine."""
        shines = [f for f in self.state.findings.items if f.kind is Kind.SHINE]
        return np.asarray(marks_of(shines, self.close.rect, self.close.level) > 0.1)

    def region(self, region: Region | Part, level: int, rect: Rect | None = None) -> Plane:
        """(h, w) 0-1 of the picture at a level, or a rectangle of it."""
        whole = self.state.photo.rect.at_level(level)
        return region_coverage(ground_of(self.state), region, rect or whole, level)

    def marks(self, level: int) -> Plane:
        """(h, w) 0-1: all that was found on skin, but patches of tone."""
        there = [f for f in self.state.findings.items if not f.kind.is_patch]
        return marks_of(there, self.state.photo.rect.at_level(level), level)


_STARTS: dict[bool, Last[Start]] = {True: Last(), False: Last()}


def start_of(state: JobState) -> JobState:
    """The photo; with what changes its light as a whole, if the brief lets nothing else be done."""
    if not state.brief.style.forbids_retouching:
        return state.as_photographed
    layers = tuple(layer for layer in state.layers if isinstance(layer, PhotoLayer | ExposureLayer))
    return replace(state, layers=layers, active_id=layers[0].id)


def _squares(bands: list[Plane]) -> Plane:
    return np.asarray(sum(np.square(band) for band in bands), dtype=np.float32)


def _means(picture: SkinPicture, lab: FloatImage) -> FloatImage:
    planes = (np.ascontiguousarray(lab[..., channel]) for channel in range(3))
    return np.stack([picture.mean(plane, picture.plain, LARGE_MM) for plane in planes], -1)


def _lab(state: JobState, level: int, cancel: CancelToken) -> FloatImage:
    whole = state.photo.rect.at_level(level)
    lab = np.empty((whole.height, whole.width, 3), dtype=np.float32)
    for top in range(0, whole.height, STRIP_PX):
        cancel.check()
        strip = Rect(0, top, whole.width, min(top + STRIP_PX, whole.height))
        lab[strip.slices] = lab_of(render(state, strip, level))
    return lab
