"""Reshape: what lies below, shown through a displacement field."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Self
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL
from lather.core.bounds import FARTHEST_PX
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect, paste
from lather.core.shape.field import Field, Indexes, node_rect, nodes_under, pixels_around
from lather.core.shape.reach import REACH_PX
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Layer, Leaf, Parts
from lather.document.layers.moving import MovingLayer
from lather.document.layers.parameters import Parameters
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import BLACK_MASK, TILE_PX, Key, Tile, Tiles
from lather.errors import BoundsError

ACROSS, DOWN, HOLD = "across", "down", "hold"
STAYS = 32768  # of 65535: not displaced
PER_STEP = 128  # values of a sample that are one step of the grid
NOT_MOVED = Tiles(channels=1, fill=STAYS)
STEP, MIDDLE = "step_px", "middle"
STEPS_PX = (1, 2, 4, 8)
MASK_SOFTNESS = 1.6  # of the largest displacement
COMPARED = 32  # nodes: how finely two fields are compared


@dataclass(frozen=True)
class ReshapeParameters(Parameters):
    """None: the field is painted."""


@dataclass(frozen=True, eq=False, kw_only=True)
class ReshapeLayer(Leaf, ComputedLayer, MovingLayer):
    """Moves what lies below by a field whose planes hold a sample every `step_px` of the picture.

    `middle` is a line drawn by hand, x0, y0, x1, y1, that strokes are mirrored at; None: at the
    face's own.
    """

    KIND = "reshape"
    NOUN = "a reshape layer"
    PLANES = {ACROSS: 1, DOWN: 1, HOLD: 1}  # noqa: RUF012
    OWN_FIELDS = ComputedLayer.OWN_FIELDS | {STEP, MIDDLE}
    TAKES = ReshapeParameters
    BY_HAND = False
    BLENDS = False
    REACH_VARIES = True
    TITLE = "Reshape"
    PAINTED_WITH = "push"
    HELP = "Moves what lies below, by Push and its kin; all of it can be eased back."

    parameters: ReshapeParameters = field(default_factory=ReshapeParameters)
    step_px: int = 2
    middle: tuple[float, float, float, float] | None = None
    across: Tiles = NOT_MOVED
    down: Tiles = NOT_MOVED
    hold: Tiles = BLACK_MASK
    strokes: tuple[StrokeRecord, ...] = ()

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.step_px not in STEPS_PX:
            raise BoundsError("Nothing was changed", f"a reshape has no grid of {self.step_px} px")
        if self.middle is not None and not _is_line(self.middle):
            raise BoundsError("The middle line stays as it is", "the new one has no length",
                              "draw it from the forehead to the chin")  # fmt: skip

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        step_px = int(parts.own.get(STEP, STEPS_PX[1]))
        if any(parts.planes[name].fill != STAYS for name in (ACROSS, DOWN)):
            raise ValueError("a field of a reshape layer has another middle")
        return cls(
            **common, **cls.own_from(parts), step_px=step_px,
            middle=_line_from(parts.own.get(MIDDLE)), across=parts.planes[ACROSS],
            down=parts.planes[DOWN], hold=parts.planes[HOLD], strokes=parts.strokes,
        )  # fmt: skip

    @classmethod
    def blank(cls, plane: str) -> Tiles:
        return BLACK_MASK if plane == HOLD else NOT_MOVED

    @property
    def own_fields(self) -> Mapping[str, Any]:
        line = None if self.middle is None else list(self.middle)
        return {**super().own_fields, STEP: self.step_px, MIDDLE: line}

    @property
    def planes(self) -> Mapping[str, Tiles]:
        return {ACROSS: self.across, DOWN: self.down, HOLD: self.hold}

    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        return replace(
            self, across=planes[ACROSS], down=planes[DOWN], hold=planes[HOLD], strokes=strokes
        )

    def with_nodes(self, rect: Rect, nodes: NDArray[np.float32]) -> Self:
        """With a rectangle of its nodes set to displacements, px."""
        across, down = (samples_of(nodes[..., axis], self.step_px) for axis in (0, 1))
        return replace(
            self, across=_with_samples(self.across, rect, across),
            down=_with_samples(self.down, rect, down),
        )  # fmt: skip

    @property
    def bounds(self) -> Rect | None:
        """Where it can move anything; the mask may hide some of it."""
        nodes = Rect.union_of(tiles.bounds() for tiles in (self.across, self.down))
        return nodes if nodes.empty else pixels_around(nodes, self.step_px)

    @property
    def moves(self) -> bool:
        """False while nothing is displaced."""
        return bool(self.across or self.down)

    @property
    def is_shown(self) -> bool:
        return super().is_shown and self.moves

    def samples_rect(self, rect: Rect) -> Rect:
        step = self.step_px
        return Rect(rect.x0 // step, rect.y0 // step, -(-rect.x1 // step), -(-rect.y1 // step))

    def painted_cells(self) -> set[Key]:
        return set() if not self.moves else set((self.bounds or Rect(0, 0, 0, 0)).cells(TILE_PX))

    def repainted_cells(self, was: Layer) -> set[Key]:
        assert isinstance(was, ReshapeLayer)
        if self.mask is not None and self.mask_sigma_px != was.mask_sigma_px:
            return self.painted_cells() | was.painted_cells()  # the mask is smoothed otherwise
        found: set[Key] = set()
        for old, new in ((was.across, self.across), (was.down, self.down)):
            for key in old.changed_keys(new):
                for block in _changed_blocks(old.pixels(key), new.pixels(key)):
                    nodes = block.shifted(key[1] * TILE_PX, key[0] * TILE_PX)
                    found |= set(pixels_around(nodes, self.step_px).cells(TILE_PX))
        return found

    @property
    def displaced(self) -> tuple[Tiles, Tiles]:
        return self.across, self.down

    @property
    def px_per_sample(self) -> float:
        return self.step_px / PER_STEP

    @property
    def largest_px(self) -> float:
        """The largest displacement, along x or y, at full strength."""
        most = max(
            (_extreme(tile) for tiles in (self.across, self.down) for tile in tiles.tiles.values()),
            default=0,
        )
        return most * self.step_px / PER_STEP

    def reach_px(self, level: int) -> int:
        return _reach_px(self.largest_px * self.strength, level)

    def reach_in_px(self, rect: Rect, level: int) -> int:
        nodes = nodes_under(rect.from_level(level), self.step_px)
        most = max(
            (_extreme_in(tile, nodes.shifted(-key[1] * TILE_PX, -key[0] * TILE_PX))
             for tiles in (self.across, self.down) for key, tile in tiles.tiles.items()
             if not nodes.intersect(Rect.cell(key, TILE_PX)).empty),
            default=0,
        )  # fmt: skip
        return _reach_px(most * self.step_px / PER_STEP * self.strength, level)

    # --- the field -------------------------------------------------------------------------

    def field(self, nodes: Rect, stride: int = 1) -> Field:
        """Nodes of the field as it is painted: at full strength, without the mask. With a stride, a
        power of two, every so many of them, counted in such steps."""
        planes = [displacements(_strided(tiles, nodes, stride), self.step_px)
                  for tiles in (self.across, self.down)]  # fmt: skip
        return Field(np.stack(planes, -1), nodes, self.step_px * stride)

    def nodes_at(self, rows: Indexes, columns: Indexes) -> NDArray[np.float32]:
        """(N, 2): displacements of single nodes, as in `field`."""
        samples = np.full((len(rows), 2), STAYS, dtype=np.uint16)
        row_keys, column_keys = rows // TILE_PX, columns // TILE_PX
        for key in self.across.tiles.keys() | self.down.tiles.keys():
            here = np.flatnonzero((row_keys == key[0]) & (column_keys == key[1]))
            if not len(here):
                continue
            places = rows[here] - key[0] * TILE_PX, columns[here] - key[1] * TILE_PX
            samples[here, 0] = self.across.pixels(key)[places]
            samples[here, 1] = self.down.pixels(key)[places]
        return displacements(samples, self.step_px)

    def whole_field(self, picture: Rect) -> Field:
        return self.field(node_rect(picture, self.step_px))

    def moves_in(self, nodes: Rect) -> bool:
        """False if all the nodes of a rectangle are where they were."""
        keys = set(nodes.cells(TILE_PX))
        return any(keys & tiles.tiles.keys() for tiles in (self.across, self.down))

    @property
    def mask_sigma_px(self) -> float:
        """In steps of a half of an octave: the smoothed mask stays while a push goes on."""
        least = MASK_SOFTNESS * self.largest_px * self.strength / self.step_px
        return self.step_px * math.pow(2, math.ceil(2 * math.log2(max(least, 1.0))) / 2)

    @property
    def mask_reach_px(self) -> int:
        sigma_px = self.mask_sigma_px  # it is smoothed as coarsely as its sigma allows
        return gaussian_reach_px(sigma_px) + math.ceil(sigma_px) + 2 * self.step_px

    @property
    def most_px(self) -> float:
        """The largest displacement that its planes can hold."""
        return (STAYS - 1) * self.step_px / PER_STEP


def _line_from(entry: Any) -> tuple[float, float, float, float] | None:
    """From a file; ValueError or TypeError if it is no line."""
    if entry is None:
        return None
    x0, y0, x1, y1 = (float(value) for value in entry)
    return x0, y0, x1, y1


def _is_line(middle: tuple[float, float, float, float]) -> bool:
    x0, y0, x1, y1 = middle
    return bool(np.abs(middle).max() <= FARTHEST_PX) and (x0, y0) != (x1, y1)


def _reach_px(largest_px: float, level: int) -> int:
    """How far around a pixel of a level is looked, by how far nodes go: between them a cubic may
    go a little beyond them."""
    return int(np.ceil(1.2 * largest_px / 2**level)) + REACH_PX if largest_px else 0


def displacements(samples: NDArray[np.uint16], step_px: int) -> NDArray[np.float32]:
    """Samples of a plane as pixels of the picture."""
    out: NDArray[np.float32] = (samples.astype(np.float32) - STAYS) * np.float32(step_px / PER_STEP)
    return out


def samples_of(displacement_px: NDArray[np.float32], step_px: int) -> NDArray[np.uint16]:
    """The inverse, rounded to nearest."""
    values = np.rint(displacement_px * np.float32(PER_STEP / step_px)) + STAYS
    out: NDArray[np.uint16] = np.clip(values, 0, FULL).astype(np.uint16)
    return out


def _with_samples(tiles: Tiles, rect: Rect, samples: NDArray[np.uint16]) -> Tiles:
    """A plane with a rectangle of its samples set; what stays as it was is not copied."""
    changed = {}
    for key in rect.cells(TILE_PX):
        pixels = tiles.pixels(key).copy()
        paste(pixels, Rect.cell(key, TILE_PX), samples, rect)
        if not np.array_equal(pixels, tiles.pixels(key)):
            changed[key] = pixels
    return tiles.with_tiles(changed)


def _strided(tiles: Tiles, rect: Rect, stride: int) -> NDArray[np.uint16]:
    """Every so many samples of a plane; the rectangle counts in such steps."""
    if stride == 1:
        return tiles.read(rect)
    out: NDArray[np.uint16] = np.full((rect.height, rect.width), tiles.fill, dtype=np.uint16)
    for key in rect.cells(TILE_PX // stride):
        tile = tiles.get(key)
        if tile is not None:
            paste(out, rect, tile.pixels[::stride, ::stride], Rect.cell(key, TILE_PX // stride))
    return out


_extremes: WeakKeyDictionary[Tile, NDArray[np.int64]] = WeakKeyDictionary()


def _block_extremes(tile: Tile) -> NDArray[np.int64]:
    """(8, 8): by block of a tile, the sample that is farthest from where nothing moves."""
    found = _extremes.get(tile)
    if found is None:
        n = TILE_PX // COMPARED
        blocks = tile.pixels.reshape(n, COMPARED, n, COMPARED)
        high, low = blocks.max((1, 3)).astype(np.int64), blocks.min((1, 3)).astype(np.int64)
        found = _extremes[tile] = np.maximum(high - STAYS, STAYS - low)
    return found


def _extreme(tile: Tile) -> int:
    """The sample of a tile that is farthest from where nothing moves."""
    return int(_block_extremes(tile).max())


def _extreme_in(tile: Tile, nodes: Rect) -> int:
    """The same, of the blocks that hold nodes of the tile."""
    inside = nodes.intersect(Rect(0, 0, TILE_PX, TILE_PX))
    blocks = Rect(inside.x0 // COMPARED, inside.y0 // COMPARED, -(-inside.x1 // COMPARED),
                  -(-inside.y1 // COMPARED))  # fmt: skip
    return int(_block_extremes(tile)[blocks.slices].max())


def _changed_blocks(old: NDArray[np.uint16], new: NDArray[np.uint16]) -> list[Rect]:
    """Blocks of a tile in which two versions of it differ."""
    n = TILE_PX // COMPARED
    differs = (old != new).reshape(n, COMPARED, n, COMPARED).any((1, 3))
    return [Rect.cell((int(row), int(column)), COMPARED) for row, column in np.argwhere(differs)]
