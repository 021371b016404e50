"""The skin of a job at the size at which tone is measured, and maps of that size as planes."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from lather.assist.stages import is_up_to
from lather.core.arrays import FULL, FloatImage, MaskPixels, Plane
from lather.core.check.skin import TEXTURE_MM, fine_lightness
from lather.core.filter.reach import gaussian_reach_px
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part, Region
from lather.core.tone.skin_picture import SkinPicture, disc
from lather.core.work import NEVER, CancelToken
from lather.document.agreed.briefing import refuse_where_forbidden
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.layers.photo import PhotoLayer
from lather.document.people import people_of
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL, TILE_PX, Key, Tiles
from lather.errors import EditError
from lather.render.compositor import render
from lather.render.ground import photo_ground
from lather.render.levels import read_level
from lather.render.measured import measured_rgb, render_lightness
from lather.render.regions import region_coverage
from lather.render.strands import strands_in

CLOSE_MM = 0.3  # a pixel at which edges and marks can be told
COARSEST_MM = 0.5  # a pixel, at which pores are gone and blotches are not
MARK_GROWS = 1.4  # a mark's soft surround is no plain skin
STRIP_PX = 512
FINEST_MM, ROUGH_OVER_MM = 0.13, 1.0  # a pixel at which roughness is measured; the sigma over it
# Whose colours a person's other skin has.
FACE = (Part.FOREHEAD, Part.NOSE, Part.CHEEK_LEFT, Part.CHEEK_RIGHT, Part.UPPER_LIP, Part.CHIN)
T = TypeVar("T")
LEAST_POWER = np.float32(1e-3)  # L* squared


@dataclass(frozen=True, eq=False)
class SkinView:
    """A job's skin at a mip level of its picture.

    Attributes
    ----------
    state : whose picture it is.
    level : of the mip pyramid.
    picture : the skin in it, in sRGB: what is measured.
    own : the same with the photo's own values, on which layers work; equal where it is in sRGB.
    foreign : (h, w) where what counts as skin has not this person's colours in the photo.
    kept : what was measured of it, by name, so that it is measured once.
    """

    state: JobState
    level: int
    picture: SkinPicture
    own: SkinPicture
    foreign: NDArray[np.bool_]
    kept: dict[str, Any] = field(default_factory=dict)

    def once(self, name: str, measure: Callable[[], T]) -> T:
        """What was measured of it under that name; measured now if it was not."""
        if name not in self.kept:
            self.kept[name] = measure()
        found: T = self.kept[name]
        return found

    @property
    def cancel(self) -> CancelToken:
        """Asked by all that measures it."""
        return self.picture.cancel

    @property
    def rect(self) -> Rect:
        return self.state.photo.rect.at_level(self.level)

    def middle_of(self, x: float, y: float) -> tuple[float, float]:
        """Where the middle of a pixel of the view lies in the photo."""
        side = 1 << self.level
        return (x + 0.5) * side, (y + 0.5) * side

    def person_of(self, mask: NDArray[np.bool_]) -> int:
        """Whose most of a place is; 0 for an empty one."""
        people = self.picture.people[mask]
        return int(np.bincount(people.astype(int)).argmax()) if people.size else 0

    @cached_property
    def parts(self) -> dict[Part, Plane]:
        """(h, w) 0-1 each: the parts of the skin."""
        ground, parts = photo_ground(self.state), dict[Part, Plane]()
        for part in Part:
            self.cancel.check()
            parts[part] = region_coverage(ground, part, self.rect, self.level)
        return parts

    def at_full_size(self, plane: Plane, rect: Rect) -> Plane:
        """A map of the view in pixels of the photo, between whose middles it is straight."""
        from lather.core.filter.gaussian import from_blocks

        side = 1 << self.level
        whole = Rect(0, 0, plane.shape[1] * side, plane.shape[0] * side)
        return from_blocks(plane[..., None], whole, side, rect).reshape(rect.height, rect.width)


def skin_view(
    state: JobState, cancel: CancelToken = NEVER, *, photo: bool = False,
    most_mm: float = COARSEST_MM,
) -> SkinView:  # fmt: skip
    """The skin as all layers show it, or as the photo does; a pixel at most so many mm.

    Raises
    ------
    EditError : the portrait's regions are not known, or there is no skin in it.
    """
    if Region.SKIN not in state.regions.masks:
        raise EditError(
            "Nothing was evened", "where skin is was not measured", "survey the portrait first"
        )
    level = coarsest_level(state, most_mm)
    rect = state.photo.rect.at_level(level)
    own = rgb_at(state.as_photographed if photo else state, level, cancel)
    rgb = measured_rgb(state.photo, own)
    mm_per_px = (1 << level) / px_per_mm(state)
    cancel.check()
    bare = 1 - strands_in(photo_ground(state), rgb, level, mm_per_px)
    cancel.check()
    skin = region_coverage(photo_ground(state), Region.SKIN, rect, level) * bare
    lies_on_it = _on_skin(state, level, rgb if photo else None, cancel)
    skin *= 1 - lies_on_it.things
    cancel.check()
    picture = SkinPicture(rgb, skin, _marks(state, rect, level), _people(state, rect, level),
                          mm_per_px, cancel)  # fmt: skip
    return SkinView(state, level, picture, replace(picture, rgb=own), lies_on_it.foreign)


@dataclass(frozen=True, eq=False)
class _OnSkin:
    """What lies on skin: all that has not its colours, and of that what is a thing, 0 or 1."""

    foreign: NDArray[np.bool_]
    things: Plane


def _on_skin(
    state: JobState, level: int, rgb: FloatImage | None, cancel: CancelToken
) -> _OnSkin:
    """What lies on skin in the photo; `rgb` is the photo in sRGB if it is read already. That of the
    last photo is kept."""
    about = (state.photo, state.regions, state.findings.faces, state.findings.mm_per_px, level)
    return _ON_SKIN.of(about, lambda: _found_on_skin(state, level, rgb, cancel))


_ON_SKIN: Last[_OnSkin] = Last(operator.eq)


def _found_on_skin(
    state: JobState, level: int, rgb: FloatImage | None, cancel: CancelToken
) -> _OnSkin:
    import cv2

    from lather.core.tone.own_skin import foreign, things  # OpenCV: not for the first window

    rect, ground = state.photo.rect.at_level(level), photo_ground(state)
    if rgb is None:
        rgb = measured_at(state.as_photographed, level, cancel)
    skin = region_coverage(ground, Region.SKIN, rect, level)
    picture = SkinPicture(rgb, skin, np.zeros_like(skin), _people(state, rect, level),
                          (1 << level) / px_per_mm(state), cancel)  # fmt: skip
    of_face = np.zeros_like(skin)
    for part in FACE:
        cancel.check()
        of_face += region_coverage(ground, part, rect, level)
    found = foreign(picture, of_face)
    cancel.check()
    with_rim = cv2.dilate(things(found, picture).astype(np.uint8), disc(1))
    return _OnSkin(found, np.asarray(with_rim, dtype=np.float32))


def rgb_at(state: JobState, level: int, cancel: CancelToken = NEVER) -> FloatImage:
    """(h, w, 3): the whole picture at a level, in the photo's own space; strip by strip, so that a
    cancel is seen at once."""
    rect = state.photo.rect.at_level(level)
    rgb = np.empty((rect.height, rect.width, 3), dtype=np.float32)
    for top in range(0, rect.height, STRIP_PX):
        cancel.check()
        strip = Rect(0, top, rect.width, min(top + STRIP_PX, rect.height))
        rgb[strip.slices] = render(state, strip, level)[..., :3]
    return rgb


def measured_at(state: JobState, level: int, cancel: CancelToken = NEVER) -> FloatImage:
    """`rgb_at`, in sRGB whatever the space of the photo."""
    return measured_rgb(state.photo, rgb_at(state, level, cancel))


def roughness(view: SkinView) -> Plane:
    """(h, w): the logarithm of the rms of L* finer than 0.5 mm around each pixel of the view."""
    import cv2

    level = coarsest_level(view.state, FINEST_MM)
    sigma_px = TEXTURE_MM * px_per_mm(view.state) / 2**level
    margin = gaussian_reach_px(sigma_px)
    whole = view.state.photo.rect.at_level(level)
    side = 1 << (view.level - level)
    power = np.zeros(view.picture.skin.shape, dtype=np.float32)
    for top in range(0, view.rect.height, STRIP_PX // side):
        view.cancel.check()
        rows = Rect(0, top, view.rect.width, min(top + STRIP_PX // side, view.rect.height))
        strip = Rect(0, rows.y0 * side, whole.width, min(rows.y1 * side, whole.height))
        wide = strip.grown(margin).intersect(whole)
        light = render_lightness(view.state, wide, level)
        fine = fine_lightness(light, sigma_px)
        inside = np.square(fine[strip.shifted(0, -wide.y0).slices])
        power[rows.slices] = cv2.resize(
            inside, (rows.width, rows.height), interpolation=cv2.INTER_AREA
        )
    return rough_of(view, power)


def rough_of(view: SkinView, power: Plane) -> Plane:
    """(h, w): `roughness`, of the mean square of fine L* in each pixel of the view."""
    smooth = view.picture.mean(power, view.picture.is_skin, ROUGH_OVER_MM)
    return np.asarray(np.log(smooth + LEAST_POWER) / 2, dtype=np.float32)


def view_below(
    state: JobState, stage: Stage, nothing: str, cancel: CancelToken,
    measured_on: JobState | None = None,
) -> tuple[SkinView, int]:  # fmt: skip
    """The skin without what lies above a stage, and the layer that a new one of it goes on.

    `measured_on` is another state to measure: of that one the last view is kept with all that was
    measured of it, for whoever asks about findings one by one.

    Raises
    ------
    EditError : as `skin_view`; or the brief forbids it, and `nothing` is done.
    """
    refuse_where_forbidden(state, nothing)
    anchor_id = _below(state, stage).layers[-1].id
    if measured_on is None:
        return skin_view(_below(state, stage), cancel), anchor_id
    below = _below(measured_on, stage)
    gone = frozenset(f.id for f in below.findings.items
                     if not f.kind.is_patch and below.findings.state(f) is FindingState.DONE)
    about = (below.photo, below.layers, below.regions, below.findings.faces,
             below.findings.mm_per_px, gone, below.brief.style, below.brief.keep_kinds)  # fmt: skip
    view = _LAST_VIEW.of(about, lambda: skin_view(below, cancel))
    picture, own = (replace(one, cancel=cancel) for one in (view.picture, view.own))
    return replace(view, picture=picture, own=own), anchor_id


_LAST_VIEW: Last[SkinView] = Last(operator.eq)


def _below(state: JobState, stage: Stage) -> JobState:
    top = 0
    for index, layer in enumerate(state.layers):
        if layer.MOVES:  # above it nothing lies where the photo has it
            break
        if isinstance(layer, PhotoLayer) or is_up_to(layer.stage, stage):
            top = index
    return replace(state, layers=state.layers[: top + 1])


def area_in(state: JobState, view: SkinView) -> Plane | None:
    """(h, w) 0-1: how much of each pixel of the view lies in the area; None without one."""
    return None if state.area is None else plane_of(state.area, view)


def plane_of(tiles: Tiles, view: SkinView) -> Plane:
    """(h, w) 0-1: one-channel tiles of the photo's size, as the view has them."""
    samples = read_level(tiles, view.state.photo.rect, view.rect, view.level)
    return np.asarray(samples.astype(np.float32) / np.float32(FULL), dtype=np.float32)


def map_tiles(
    plane: Plane, view: SkinView, empty: Tiles, samples: Callable[[Plane], MaskPixels],
    least: float,
) -> Tiles:
    """A map of a view as tiles of the photo's size, of the samples that stand for its values; none
    where it is nowhere as much as `least`."""
    picture, tiles = view.state.photo.rect, dict[Key, MaskPixels | None]()
    for key in picture.cells(TILE_PX):
        view.cancel.check()
        cell = Rect.cell(key, TILE_PX).intersect(picture)
        near = cell.at_level(view.level).grown(1).intersect(view.rect)
        if np.abs(plane[near.slices]).max() < least:
            continue
        tile = np.full((TILE_PX, TILE_PX), empty.fill, dtype=np.uint16)
        tile[: cell.height, : cell.width] = samples(view.at_full_size(plane, cell))
        tiles[key] = tile
    return empty.with_tiles(tiles)


def finding_at(
    state: JobState, view: SkinView, kind: Kind, x: float, y: float
) -> Finding | None:
    """The finding of a kind that holds a place of the view, if the survey listed one."""
    side = 1 << view.level
    held = (f for f in state.findings.items if f.kind is kind and f.holds(x * side, y * side))
    return next(held, None)


def marks_of(findings: Iterable[Finding], rect: Rect, level: int) -> Plane:
    """(h, w) 0-1 of a mip level: where findings lie, with their soft surrounds."""
    out = np.zeros((rect.height, rect.width), dtype=np.float32)
    scale = 0.5**level
    for finding in findings:
        small = replace(
            finding, x=finding.x * scale, y=finding.y * scale,
            extent_px=tuple(max(MARK_GROWS * r * scale, 1.0) for r in finding.extent_px),
            path_px=tuple((x * scale, y * scale) for x, y in finding.path_px),
        )  # fmt: skip
        place = small.rect.intersect(rect)
        if not place.empty:
            here = out[place.shifted(-rect.x0, -rect.y0).slices]
            np.maximum(here, small.coverage(place), out=here)
    return out


def coarsest_level(state: JobState, most_mm: float) -> int:
    """The last level at which a pixel is at most so many mm; full size, if none is."""
    mm_per_px, level = 1 / px_per_mm(state), 0
    while mm_per_px * 2 ** (level + 1) <= most_mm and level < DEEPEST_LEVEL:
        level += 1
    return level


def _marks(state: JobState, rect: Rect, level: int) -> Plane:
    """Findings of Clean that are still there: what was mended is skin like any other, and so are
    freckles that the style does not keep."""
    evened = set() if state.brief.keeps(Kind.FRECKLES) else {Kind.FRECKLES}
    there = [f for f in state.findings.items
             if not f.kind.is_patch and f.kind not in evened
             and state.findings.state(f) is not FindingState.DONE]  # fmt: skip
    return marks_of(there, rect, level)


def _people(state: JobState, rect: Rect, level: int) -> NDArray[np.int8]:
    """Whose face is nearest, in sizes of that face; 0 where there is none or one."""
    return people_of(state.findings.faces, rect.width, rect.height, 1 << level)
