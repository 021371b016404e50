"""Which tiles of the picture differ between two states of a job."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import replace

from lather.core.rect import Rect
from lather.document.layers.layer import Layer, Layers, Mask
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import limited_by_regions, path_to, place_of, top_level_index

Cells = set[Key]
_EVERYWHERE = ("visible", "strength", "mode", "limits")  # what changes a layer wherever it is


def changed_cells(before: JobState, after: JobState) -> Cells:
    """Tiles of full resolution outside of which both states look the same.

    Layers are told apart by their ids, so one that comes, goes or moves concerns only the
    tiles that it has.
    """
    everywhere = set(after.photo.rect.cells(TILE_PX))
    if before.photo is not after.photo:
        return everywhere
    moved = before.regions is not after.regions or before.findings.faces != after.findings.faces
    if moved and limited_by_regions(after.layers):
        return everywhere
    return changed_between(before.layers, after.layers, everywhere)


def n_alike(before: Layers, after: Layers) -> int:
    """How many of the lowest layers two stacks share."""
    for n, (one, other) in enumerate(zip(before, after, strict=False)):
        if one is not other:
            return n
    return min(len(before), len(after))


def changed_within(state: JobState, layer_id: int, rect: Rect) -> Rect:
    """The same for the top-level layer alone that is, or holds, that layer."""
    top = state.layers[top_level_index(state.layers, layer_id)]
    return changed_above(replace(state, layers=(top,)), layer_id, rect)


def changed_above(state: JobState, layer_id: int, rect: Rect) -> Rect:
    """Full-resolution pixels of the picture that change with those of a layer in `rect`."""
    for layer in path_to(state.layers, layer_id):
        among, index = place_of(state.layers, layer.id)
        rect = rect.grown(sum(other.reach_px(0) for other in among[index + 1 :] if other.is_shown))
    return rect


def changed_between(before: Layers, after: Layers, everywhere: Cells) -> Cells:
    """Tiles, of all that the picture has, in which two stacks of layers look different."""
    if before is after:
        return set()
    old, new = ({layer.id: layer for layer in layers} for layers in (before, after))
    found: Cells = set()
    for layer in before:
        if layer.id not in new:
            found |= _shown(layer, everywhere)
    # What is gone counts as lowest: all that is above now looks at where it was.
    stay = [layer.id for layer in before if layer.id in new]
    places = {layer.id: place for place, layer in enumerate(after)}
    moved = _moved(stay, [places[layer_id] for layer_id in stay])
    for layer_id in moved:
        found |= _shown(old[layer_id], everywhere)
    by_reach: dict[int, Cells] = {0: found}  # of all that lies above, so far
    for layer in after:
        was = old.get(layer.id)
        reach_px = max(other.reach_px(0) for other in (was, layer) if other is not None)
        if reach_px:
            by_reach = {total_px + reach_px: cells for total_px, cells in by_reach.items()}
        changed = by_reach.setdefault(0, set())
        if was is None or layer.id in moved:
            changed |= _shown(layer, everywhere)
        if was is not None:
            changed |= _of_layer(was, layer, everywhere)
    grown = (_grown(cells, total_px, everywhere) for total_px, cells in by_reach.items())
    return set().union(*grown) & everywhere


def _grown(cells: Cells, reach_px: int, everywhere: Cells) -> Cells:
    """Cells with all that lie within a reach of them."""
    if not reach_px or not cells or len(cells) >= len(everywhere):
        return cells
    n = -(-reach_px // TILE_PX)
    rows, columns = max(r for r, _ in everywhere) + 1, max(c for _, c in everywhere) + 1
    if n >= max(rows, columns):
        return everywhere
    return {
        (y, x) for row, column in cells
        for y in range(row - n, row + n + 1) for x in range(column - n, column + n + 1)
    } & everywhere  # fmt: skip


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
    if old is new or not (old.is_shown or new.is_shown):
        return set()
    both = _extent(old, everywhere) | _extent(new, everywhere)
    if any(getattr(old, name) != getattr(new, name) for name in _EVERYWHERE):
        return both
    if dict(old.own_fields) != dict(new.own_fields):
        return both
    masked = _of_masks(old.mask, new.mask, everywhere)
    if masked is not None:
        masked = _grown(masked, max(old.mask_reach_px, new.mask_reach_px), everywhere)
    found = both if masked is None else both & masked
    found |= new.repainted_cells(old) & everywhere
    return found | changed_between(old.children, new.children, everywhere)


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


def _shown(layer: Layer, everywhere: Cells) -> Cells:
    """Tiles that a layer can change by being there."""
    return _extent(layer, everywhere) if layer.is_shown else set()


def _extent(layer: Layer, everywhere: Cells) -> Cells:
    """Tiles outside of which a layer changes nothing."""
    own: Cells = layer.painted_cells()
    if layer.children or own:
        own = own.union(*(_shown(child, everywhere) for child in layer.children))
        return _grown(own, layer.reach_px(0), everywhere)
    bounds = layer.bounds
    return everywhere if bounds is None else set(bounds.cells(TILE_PX)) & everywhere
