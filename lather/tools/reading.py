"""What the tools read: the picture up to a layer, and the layers that a source shows."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.mend.placement import Read
from lather.core.rect import Rect
from lather.document.layers.limits import OPEN
from lather.document.state import JobState
from lather.errors import EditError
from lather.render.compositor import render, render_layers, render_photo, render_up_to
from lather.render.space import layer_space
from lather.tools.source import Reads


def up_to(state: JobState, layer_id: int) -> Read:
    """The layer that is worked on and all below it: what colour and light are taken from."""
    return lambda rect, level: render_up_to(state, layer_id, rect, level)


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
