"""How what work aside painted on a layer goes on what the layer has come to meanwhile.

By sample for most kinds: where both changed, the person's stays. A kind whose samples mean
something only together has a way of its own, a row of `WAYS`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL
from lather.core.rect import Rect
from lather.core.shape.field import Nodes
from lather.document.layers.layer import Layer
from lather.document.layers.reshape import ACROSS, DOWN, HOLD, ReshapeLayer
from lather.document.reshapes import with_change
from lather.document.tiles import TILE_PX, Key, Tile, Tiles

Clash = Mapping[Key, NDArray[np.bool_]]  # (256, 256) by tile: changed by both
LEAST_LESS_PX = 0.05  # of a displacement that is not made


@dataclass(frozen=True)
class MergedPlanes:
    """A layer's planes with what the work did.

    Attributes
    ----------
    planes : by name.
    clash : where both changed the same samples, whose are the person's.
    less : why not all of the work is in it, in words; '' if it is, but for the clash.
    """

    planes: Mapping[str, Tiles]
    clash: Clash = field(default_factory=dict)
    less: str = ""


def merged_planes(was: Layer, new: Layer, here: Layer) -> MergedPlanes:
    """What work made of the planes of `was`, on those of now."""
    return WAYS.get(type(here), _by_sample)(was, new, here)


def merged_tiles(was: Tiles, new: Tiles, here: Tiles) -> tuple[Tiles, Clash]:
    """The tiles of here with what changed from `was` to `new`, and where both changed."""
    objects: dict[Key, Tile] = {}
    pixels: dict[Key, NDArray[np.uint16] | None] = {}
    clash: dict[Key, NDArray[np.bool_]] = {}
    for key in was.changed_keys(new):
        tile = new.get(key)
        if here.get(key) is was.get(key):
            if tile is None:
                pixels[key] = None
            else:
                objects[key] = tile
            continue
        base, mine, theirs = was.pixels(key), new.pixels(key), here.pixels(key)
        by_work, meanwhile = _differs(base, mine), _differs(base, theirs)
        both = by_work & meanwhile & _differs(mine, theirs)
        if both.any():
            clash[key] = both
        take = by_work & ~meanwhile
        pixels[key] = np.where(take if base.ndim == 2 else take[..., None], mine, theirs)
    if not objects and not pixels:
        return here, clash
    return here.with_tiles(pixels).with_tile_objects(objects), clash


def _differs(one: NDArray[np.uint16], other: NDArray[np.uint16]) -> NDArray[np.bool_]:
    """(256, 256): where two tiles are not the same."""
    differs: NDArray[np.bool_] = (one != other).reshape(TILE_PX, TILE_PX, -1).any(-1)
    return differs


def _by_sample(was: Layer, new: Layer, here: Layer) -> MergedPlanes:
    planes: dict[str, Tiles] = {}
    clash: dict[Key, NDArray[np.bool_]] = {}
    for name, tiles in here.planes.items():
        planes[name], both = merged_tiles(was.planes[name], new.planes[name], tiles)
        for key, where in both.items():
            clash[key] = clash[key] | where if key in clash else where
    return MergedPlanes(planes, clash)


def _as_field(was: ReshapeLayer, new: ReshapeLayer, here: ReshapeLayer) -> MergedPlanes:
    """The work's change of the displacements, added: node by node two fields would tear apart what
    lies between. Less of it where the skin would fold, none where it is held by now."""
    held, clash = merged_tiles(was.hold, new.hold, here.hold)
    keys = {key for name in (ACROSS, DOWN) for key in was.planes[name].changed_keys(
        new.planes[name])}  # fmt: skip
    untouched = all(here.planes[name] is was.planes[name] for name in (ACROSS, DOWN))
    if not keys or (untouched and here.hold is was.hold):
        planes = new.planes if keys else here.planes
        return MergedPlanes({**planes, HOLD: held}, clash)
    nodes = Rect.union_of(Rect.cell(key, TILE_PX) for key in keys)
    change: Nodes = new.field(nodes).nodes - was.field(nodes).nodes
    before, now = (layer.hold.read(nodes).astype(np.float32) / FULL for layer in (was, here))
    free = np.where(now > before, 1 - now, 1).astype(np.float32)[..., None]
    merged = with_change(here, nodes, change * free)
    made = merged.field(nodes).nodes - here.field(nodes).nodes
    less = ""
    if float(np.abs(made - change).max()) > LEAST_LESS_PX:
        less = f"a part of what '{here.name}' moves, where the skin would fold or is held"
    return MergedPlanes({**merged.planes, HOLD: held}, clash, less)


WAYS: dict[type[Layer], Callable[[Any, Any, Any], MergedPlanes]] = {ReshapeLayer: _as_field}
