"""What a step did to a job: asked of every step before it counts (`Job.change`), and of strokes.

Whether it shows is asked in `render/effect.py`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from typing import Any

from lather.document.layers.layer import Layer, Layers, Mask
from lather.document.planes import Regions
from lather.document.state import JobState
from lather.document.tiles import Tiles
from lather.document.tree import walk

_COMPARED_OTHERWISE = {"mask", "children", "strokes", "extras"}


def changes_anything(before: JobState, after: JobState) -> bool:
    """False if both hold the same, sample by sample; which layer is active is no change."""
    return _changes_beside_layers(before, after) or not _same_layers(
        before.layers, after.layers, with_notes=True
    )


def changes_more_than_notes(before: JobState, after: JobState) -> bool:
    """False if they differ in nothing but the records of strokes and layers on which nothing lies:
    what a stroke leaves behind that touched nothing."""
    if _changes_beside_layers(before, after):
        return True
    had = {layer.id for layer in walk(before.layers)}
    return not _same_layers(before.layers, _without_new_empty(after.layers, had), with_notes=False)


def _changes_beside_layers(before: JobState, after: JobState) -> bool:
    if (before.brief, before.findings, before.trials) != (after.brief, after.findings,
                                                          after.trials):  # fmt: skip
        return True
    if before.photo is not after.photo or before.extras != after.extras:
        return True
    return not (
        _same_area(before.area, after.area) and _same_area(before.reference, after.reference)
        and _same_regions(before.regions, after.regions)
        and before.unknown_planes == after.unknown_planes
    )  # fmt: skip


def _without_new_empty(layers: Layers, had: set[int]) -> Layers:
    return tuple(layer for layer in layers if layer.id in had or not _is_empty(layer))


def _is_empty(layer: Layer) -> bool:
    """A layer that was made to be painted on, and was not."""
    return bool(layer.PLANES) and not any(layer.planes.values())


def _same_layers(before: Layers, after: Layers, *, with_notes: bool) -> bool:
    if before is after:
        return True
    return len(before) == len(after) and all(
        _same_layer(one, other, with_notes=with_notes)
        for one, other in zip(before, after, strict=True)
    )


def _same_layer(one: Layer, other: Layer, *, with_notes: bool) -> bool:
    if one is other:
        return True
    if one.id != other.id or type(one) is not type(other) or one.extras != other.extras:
        return False
    if with_notes and one.strokes != other.strokes:
        return False
    planes, others = one.planes, other.planes
    if planes.keys() != others.keys() or _common(one) != _common(other):
        return False
    return (
        dict(one.own_fields) == dict(other.own_fields)
        and _same_mask(one.mask, other.mask)
        and all(_same_tiles(tiles, others[name]) for name, tiles in planes.items())
        and _same_layers(one.children, other.children, with_notes=with_notes)
    )


def same_content(one: Layer, other: Layer) -> bool:
    """True if two versions of a layer hold the same and act alike, whether shown or not; of layers
    in it only which they are."""
    if one.planes.keys() != other.planes.keys() or type(one) is not type(other):
        return False
    alike = (one.strength, one.mode, one.limits, dict(one.own_fields)) == (
        other.strength, other.mode, other.limits, dict(other.own_fields)
    )
    return (
        alike and _same_mask(one.mask, other.mask)
        and all(_same_tiles(tiles, other.planes[name]) for name, tiles in one.planes.items())
        and [child.id for child in one.children] == [child.id for child in other.children]
    )


def _common(layer: Layer) -> Mapping[str, Any]:
    """What all layers have, and can be compared by itself."""
    return {entry.name: getattr(layer, entry.name) for entry in fields(Layer)
            if entry.name not in _COMPARED_OTHERWISE}  # fmt: skip


def _same_mask(one: Mask | None, other: Mask | None) -> bool:
    if one is other or one is None or other is None:
        return one is other
    alike = (one.enabled, one.inverted, one.extras) == (other.enabled, other.inverted, other.extras)
    return alike and _same_tiles(one.tiles, other.tiles)


def _same_area(one: Tiles | None, other: Tiles | None) -> bool:
    if one is other or one is None or other is None:
        return one is other
    return _same_tiles(one, other)


def _same_regions(one: Regions, other: Regions) -> bool:
    if one is other:
        return True
    alike = (one.scale, one.corrected, one.extras, one.masks.keys()) == (
        other.scale, other.corrected, other.extras, other.masks.keys(),
    )  # fmt: skip
    return alike and all(_same_tiles(tiles, other.masks[r]) for r, tiles in one.masks.items())


def _same_tiles(one: Tiles, other: Tiles) -> bool:
    return one is other or (one.extras == other.extras and one.equals(other))
