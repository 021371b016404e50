"""One-channel planes at any level."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import MaskPixels
from lather.core.rect import Rect
from lather.document.tiles import TILE_PX, Key, Tiles


def existing(tiles: Tiles, rect: Rect, cell_px: int) -> list[Key]:
    """Keys of existing tiles in `rect`, whichever way of looking is shorter."""
    if not tiles:
        return []
    in_rect = (rect.width // cell_px + 2) * (rect.height // cell_px + 2)
    if in_rect < len(tiles.tiles):
        return [key for key in rect.cells(cell_px) if key in tiles.tiles]
    return [key for key in tiles.tiles if not Rect.cell(key, cell_px).intersect(rect).empty]


def read_level(tiles: Tiles, picture: Rect, rect: Rect, level: int) -> MaskPixels:
    """Samples of one-channel tiles on a picture, in a rectangle of a mip level."""
    cell_px = TILE_PX >> level
    out = np.full((rect.height, rect.width), tiles.fill, dtype=np.uint16)
    for key in existing(tiles, rect, cell_px):
        cell = Rect.cell(key, cell_px)
        part = cell.intersect(rect)
        out[part.shifted(-rect.x0, -rect.y0).slices] = tiles.mip(key, level, picture)[
            part.shifted(-cell.x0, -cell.y0).slices
        ]
    return out
