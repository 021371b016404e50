"""Finding and replacing layers in the tree of groups. Order is bottom to top."""

from __future__ import annotations

from collections.abc import Iterator, Set

from lather.document.layers.layer import Layer, Layers


def walk(layers: Layers) -> Iterator[Layer]:
    """All layers, bottom to top, a group before what is in it."""
    for layer in layers:
        yield layer
        yield from walk(layer.children)


def walk_whole(layers: Layers) -> Iterator[Layer]:
    """The same without those in a split's stacks, which hold a part of the picture."""
    for layer in layers:
        yield layer
        if not layer.HOLDS_PARTS:
            yield from walk_whole(layer.children)


def walk_held(layers: Layers) -> Iterator[Layer]:
    """The same with those that lie in layers which cannot be understood: what a file holds."""
    for layer in layers:
        yield layer
        yield from walk_held(layer.held)


def find(layers: Layers, layer_id: int) -> Layer | None:
    return next((layer for layer in walk(layers) if layer.id == layer_id), None)


def path_to(layers: Layers, layer_id: int) -> Layers:
    """The groups around a layer, outermost first, and the layer itself; () for an unknown id."""
    for layer in layers:
        if layer.id == layer_id:
            return (layer,)
        inside = path_to(layer.children, layer_id)
        if inside:
            return (layer, *inside)
    return ()


def parent_of(layers: Layers, layer_id: int) -> Layer | None:
    """The layer that holds another; None for the top level or an unknown id."""
    for layer in walk(layers):
        if any(child.id == layer_id for child in layer.children):
            return layer
    return None


def siblings(layers: Layers, layer_id: int) -> Layers:
    """The layers among which a layer lies, itself included."""
    parent = parent_of(layers, layer_id)
    return parent.children if parent else layers


def place_of(layers: Layers, layer_id: int) -> tuple[Layers, int]:
    """The layers among which a layer lies, and its place among them; it must be there."""
    among = siblings(layers, layer_id)
    return among, next(n for n, layer in enumerate(among) if layer.id == layer_id)


def replaced(layers: Layers, layer_id: int, by: Layers) -> Layers:
    """The tree with one layer replaced by others (none: removed)."""
    result: list[Layer] = []
    for layer in layers:
        if layer.id == layer_id:
            result.extend(by)
        elif find(layer.children, layer_id):
            result.append(layer.with_children(replaced(layer.children, layer_id, by)))
        else:
            result.append(layer)
    return tuple(result)


def above(layers: Layers, layer_id: int) -> Iterator[Layer]:
    """All layers that lie above one, in its group and in those around it."""
    path = path_to(layers, layer_id)
    for parent, layer in zip((None, *path), path, strict=False):
        if parent is not None and parent.HOLDS_PARTS:
            continue  # they lie beside each other
        among, index = place_of(layers, layer.id)
        yield from walk(among[index + 1 :])


def without(layers: Layers, ids: Set[int]) -> Layers:
    """The tree without some layers, and without all that is in them."""
    return tuple(
        layer.with_children(without(layer.children, ids)) for layer in layers if layer.id not in ids
    )


def inserted_above(layers: Layers, layer_id: int, new: Layer) -> Layers:
    """The tree with `new` directly above a layer."""
    anchor = find(layers, layer_id)
    if anchor is None:
        return (*layers, new)
    return replaced(layers, layer_id, (anchor, new))


def top_level_index(layers: Layers, layer_id: int) -> int:
    """Position of the top-level layer that is, or holds, a layer."""
    for index, layer in enumerate(layers):
        if find((layer,), layer_id):
            return index
    raise KeyError(layer_id)


def limited_by_regions(layers: Layers) -> bool:
    """True if a region decides where one of the layers shows, or of those in them."""
    return any(layer.limits.regions for layer in walk(layers))
