"""Which part of the picture differs between two states of a job."""

from __future__ import annotations

from itertools import zip_longest

from lather.core.rect import Rect
from lather.document.job import JobState
from lather.document.layers import GroupLayer, Layer, PixelLayer
from lather.document.tiles import TILE_PX
from lather.document.tree import Layers


def changed_rects(before: JobState, after: JobState) -> list[Rect]:
    """Full-resolution rectangles outside which both states look the same."""
    everything = after.photo.rect
    if before.photo is not after.photo:
        return [everything]
    rects = _compare(before.layers, after.layers)
    if rects is None:
        return [everything]
    return [part for rect in rects if not (part := rect.intersect(everything)).empty]


def _compare(before: Layers, after: Layers) -> list[Rect] | None:
    """None stands for everywhere."""
    rects: list[Rect] = []
    for old, new in zip_longest(before, after):
        if old is new:
            continue
        found = _compare_layer(old, new)
        if found is None:
            return None
        rects.extend(found)
    return rects


def _compare_layer(old: Layer | None, new: Layer | None) -> list[Rect] | None:
    if old is None or new is None or old.id != new.id or not _shown_alike(old, new):
        bounds = [layer.bounds for layer in (old, new) if layer is not None]
        known = [rect for rect in bounds if rect is not None]
        return known if len(known) == len(bounds) else None
    if isinstance(old, GroupLayer) and isinstance(new, GroupLayer):
        return _compare(old.children, new.children)
    if isinstance(old, PixelLayer) and isinstance(new, PixelLayer):
        return [Rect.cell(key, TILE_PX) for key in old.tiles.changed_keys(new.tiles)]
    return []


def _shown_alike(old: Layer, new: Layer) -> bool:
    return (
        old.visible == new.visible
        and old.strength == new.strength
        and old.mode is new.mode
        and old.mask is new.mask
    )
