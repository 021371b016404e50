"""The job's own planes, beside those of its layers: the area, the reference of colour, and the
regions of the portrait.

They are one-channel tiles, 0-65535, like masks, and are saved under their names.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, cast

import numpy as np

from lather.core.area.combine import Combine, combined
from lather.core.arrays import FULL, MaskPixels, Plane
from lather.core.rect import Rect, paste
from lather.core.survey.regions.region import Region
from lather.document.tiles import BLACK_MASK, TILE_PX, Tiles

AREA, REFERENCE = "area", "reference"
_REGION = "region."


@dataclass(frozen=True, eq=False)
class Regions:
    """Soft masks of the parts of the portrait, on a reduced picture.

    Attributes
    ----------
    scale : pixels of the masks per pixel of the photo, at most 1.
    masks : empty before the portrait is surveyed.
    corrected : those that were painted on; another survey leaves them as they are.
    extras : fields of a newer Lather, kept and saved again.
    """

    scale: float = 1.0
    masks: Mapping[Region, Tiles] = field(default_factory=dict)
    corrected: frozenset[Region] = frozenset()
    extras: Mapping[str, Any] = field(default_factory=dict)

    def size(self, picture: Rect) -> Rect:
        """The pixels of the masks of a picture of that size."""
        width, height = round(picture.width * self.scale), round(picture.height * self.scale)
        return Rect(0, 0, max(1, width), max(1, height))


@dataclass(frozen=True, eq=False)
class Planes:
    """A state's own planes: the area, the one whose colour others are matched to, the regions, and
    those that only a newer Lather knows."""

    area: Tiles | None = None
    reference: Tiles | None = None
    regions: Regions = field(default_factory=Regions)
    unknown: Mapping[str, Tiles] = field(default_factory=dict)

    def named(self) -> dict[str, Tiles]:
        """All planes by the names they are saved under."""
        regions = {_REGION + region.value: tiles for region, tiles in self.regions.masks.items()}
        own = {AREA: self.area, REFERENCE: self.reference}
        there = {name: tiles for name, tiles in own.items() if tiles is not None}
        return {**there, **regions, **self.unknown}


def plane_size(name: str, picture: Rect, regions: Regions) -> Rect:
    """The pixels of a named plane that lie on the picture."""
    return regions.size(picture) if name.startswith(_REGION) else picture


def current_name(name: str) -> str:
    """The name that a plane is saved under now: older files call some regions otherwise."""
    if not name.startswith(_REGION):
        return name
    return _REGION + Region(name.removeprefix(_REGION)).value


def from_named(
    planes: Mapping[str, Tiles], scale: float, corrected: Iterable[str], extras: Mapping[str, Any]
) -> Planes:
    """The inverse of `Planes.named`."""
    masks, unknown = {}, {}
    for name, tiles in planes.items():
        if name.startswith(_REGION):
            masks[Region(name.removeprefix(_REGION))] = tiles
        elif name not in (AREA, REFERENCE):
            unknown[name] = tiles
    regions = Regions(scale, masks, frozenset(map(Region, corrected)), extras)
    return Planes(planes.get(AREA), planes.get(REFERENCE), regions, unknown)


def read_plane(tiles: Tiles, rect: Rect) -> Plane:
    """(h, w) float32 0-1."""
    return tiles.read(rect).astype(np.float32) / np.float32(FULL)


def with_plane(tiles: Tiles, rect: Rect, plane: Plane) -> Tiles:
    """A copy with a rectangle set to `plane`, 0-1."""
    return with_samples(tiles, rect, samples_of(plane))


def samples_of(plane: Plane) -> MaskPixels:
    """A plane, 0-1, as it is kept."""
    samples: MaskPixels = (np.clip(plane, 0, 1) * np.float32(FULL) + np.float32(0.5)).astype("u2")
    return samples


def with_samples(tiles: Tiles, rect: Rect, samples: MaskPixels) -> Tiles:
    """A copy with a rectangle set to samples, 0-65535."""
    changed = {}
    for key in rect.cells(TILE_PX):
        cell = Rect.cell(key, TILE_PX)
        pixels = tiles.pixels(key).copy()
        paste(pixels, cell, samples, rect)
        changed[key] = pixels
    return tiles.with_tiles(changed)


def outlined(area: Tiles | None, rect: Rect, outline: Plane | MaskPixels, how: Combine) -> Tiles:
    """The area after an outline whose coverage in `rect` is given, 0-1 or as samples, and zero
    elsewhere."""
    if area is None or how is Combine.NEW:
        samples = cast("MaskPixels", outline)
        if outline.dtype != np.uint16:
            samples = samples_of(cast("Plane", outline))
        return with_samples(BLACK_MASK, rect, samples)
    shares = cast("Plane", outline)
    if outline.dtype == np.uint16:
        shares = outline.astype(np.float32) / np.float32(FULL)
    inside = with_plane(area, rect, combined(read_plane(area, rect), shares, how))
    if how is not Combine.OVERLAP:
        return inside
    return with_plane(BLACK_MASK, rect, read_plane(inside, rect))


def inverted(tiles: Tiles) -> Tiles:
    """Inside out."""
    changed = {key: (FULL - tile.pixels) for key, tile in tiles.tiles.items()}
    empty = replace(tiles, fill=FULL - tiles.fill, tiles={})
    return empty.with_tiles(changed)
