"""What the tools read: the picture up to a layer, and the layers that a source shows."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.mend.placement import Read
from lather.core.rect import Rect
from lather.document.layers.layer import Layer, new_id
from lather.document.layers.limits import OPEN
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.split import Part, SplitLayer, StackLayer, both_stacks
from lather.document.state import JobState
from lather.document.tree import path_to
from lather.errors import EditError
from lather.render.compositor import render, render_layers, render_photo, render_up_to
from lather.render.space import layer_space
from lather.tools.source import Reads

Stacks = tuple[tuple[SplitLayer, Part], ...]


def up_to(state: JobState, layer_id: int) -> Read:
    """The layer that is worked on and all below it: what colour and light are taken from."""
    return lambda rect, level: render_up_to(state, layer_id, rect, level)


def stacks_around(state: JobState) -> Stacks:
    """The splits that the active layer lies in, the outermost first, and which part of each."""
    path = path_to(state.layers, state.active_id)
    return tuple((split, stack.part) for split, stack in pairwise(path)
                 if isinstance(split, SplitLayer) and isinstance(stack, StackLayer))  # fmt: skip


def part_of(state: JobState, stacks: Stacks) -> Read:
    """The picture of a state, or the part of it that layers in such stacks act on."""
    if not stacks:
        return lambda rect, level: render(state, rect, level)
    innermost: Layer = PixelLayer(id=new_id(), name="")
    layer_id = innermost.id
    for split, part in reversed(stacks):
        stack = StackLayer(id=new_id(), name="", part=part, children=(innermost,))
        innermost = SplitLayer(id=new_id(), name="", parameters=split.parameters,
                               children=both_stacks((stack,)))  # fmt: skip
    return up_to(replace(state, layers=(*state.layers, innermost)), layer_id)


def source_of(state: JobState, layer_id: int, reads: Reads) -> Read:
    """What texture is taken from.

    The layers below by default: an adjustment above must not get baked into a mend.
    """
    if reads is Reads.PHOTO:
        return lambda rect, level: render_photo(state.photo, rect, level)
    if reads is Reads.ALL:
        flat = layer_space(state, layer_id).flat(state)
        return lambda rect, level: render(flat, rect, level)
    if reads is Reads.BELOW:
        return up_to(state, layer_id)

    def layer_alone(rect: Rect, level: int) -> FloatImage:
        layer = state.layer(layer_id)
        alone = replace(layer, limits=OPEN)  # there is nothing below that could limit it
        out = render_layers((alone,) if layer.planes else (), state.photo, rect, level)
        if not np.any(out[..., 3] > 0):
            raise EditError(
                "Nothing was taken", f"'{layer.name}' is empty where the source lies",
                "pick the source on the layer's own pixels, or take from what lies below",
            )  # fmt: skip
        return out

    return layer_alone
