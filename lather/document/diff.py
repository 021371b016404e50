"""Which tiles of the picture differ between two states of a job."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence

from lather.document.layers import GroupLayer, Layer, Mask, PixelLayer
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import Layers

Cells = set[Key]


def changed_cells(before: JobState, after: JobState) -> Cells:
    """Tiles of full resolution outside of which both states look the same.

    Layers are told apart by their ids, so one that comes, goes or moves concerns only the
    tiles that it has.
    """
    everywhere = set(after.photo.rect.cells(TILE_PX))
    if before.photo is not after.photo:
        return everywhere
    return _of_lists(before.layers, after.layers, everywhere) & everywhere


def _of_lists(before: Layers, after: Layers, everywhere: Cells) -> Cells:
    if before is after:
        return set()
    old, new = ({layer.id: layer for layer in layers} for layers in (before, after))
    found: Cells = set()
    for layer in (*before, *after):
        if layer.id not in old or layer.id not in new:
            found |= _shown(layer, everywhere)
    stay = [layer.id for layer in before if layer.id in new]
    places = {layer.id: place for place, layer in enumerate(after)}
    for layer_id in _moved(stay, [places[layer_id] for layer_id in stay]):
        found |= _shown(old[layer_id], everywhere) | _shown(new[layer_id], everywhere)
    for layer_id in stay:
        found |= _of_layer(old[layer_id], new[layer_id], everywhere)
    return found


def _moved(ids: Sequence[int], places: Sequence[int]) -> set[int]:
    """Ids that do not keep their order: all but a longest run of rising places."""
    tails: list[int] = []
    ends: list[int] = []  # the index that each tail has
    came_from = [-1] * len(places)
    for index, place in enumerate(places):
        at = bisect_left(tails, place)
        came_from[index] = ends[at - 1] if at else -1
        tails[at:] = [place]
        ends[at:] = [index]
    keeps, index = set(), ends[-1] if ends else -1
    while index >= 0:
        keeps.add(ids[index])
        index = came_from[index]
    return set(ids) - keeps


def _of_layer(old: Layer, new: Layer, everywhere: Cells) -> Cells:
    if old is new or not (_is_shown(old) or _is_shown(new)):
        return set()
    both = _extent(old, everywhere) | _extent(new, everywhere)
    if (old.visible, old.strength, old.mode) != (new.visible, new.strength, new.mode):
        return both
    masked = _of_masks(old.mask, new.mask, everywhere)
    found = both if masked is None else both & masked
    if isinstance(old, GroupLayer) and isinstance(new, GroupLayer):
        return found | _of_lists(old.children, new.children, everywhere)
    if isinstance(old, PixelLayer) and isinstance(new, PixelLayer):
        return found | set(old.tiles.changed_keys(new.tiles))
    return found


def _of_masks(old: Mask | None, new: Mask | None, everywhere: Cells) -> Cells | None:
    """Tiles in which two masks differ; None for all that there are."""
    if old is new:
        return set()
    if old is None or new is None:
        return None
    alike = (old.enabled, old.inverted, old.tiles.fill) == (
        new.enabled, new.inverted, new.tiles.fill,
    )  # fmt: skip
    if not alike:
        return None
    return set(old.tiles.changed_keys(new.tiles)) & everywhere if old.enabled else set()


def _is_shown(layer: Layer) -> bool:
    return layer.visible and layer.strength > 0


def _shown(layer: Layer, everywhere: Cells) -> Cells:
    """Tiles that a layer can change by being there."""
    return _extent(layer, everywhere) if _is_shown(layer) else set()


def _extent(layer: Layer, everywhere: Cells) -> Cells:
    if isinstance(layer, PixelLayer):
        return set(layer.tiles.tiles)
    if isinstance(layer, GroupLayer):
        return set().union(*(_shown(child, everywhere) for child in layer.children))
    bounds = layer.bounds
    return everywhere if bounds is None else set(bounds.cells(TILE_PX))
