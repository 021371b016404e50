"""The layer that a stroke goes on: the active one, or where that cannot take it, the tool's own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from lather.assist.clean.weak import anchor_of_weak
from lather.assist.even.layers import work_of
from lather.document import edits
from lather.document.access import is_mendable, is_paintable
from lather.document.layers.layer import Layer, Stage
from lather.document.layers.light import LightLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.split import StackLayer
from lather.document.painting.laid import Anchor
from lather.document.state import JobState
from lather.document.tree import path_to, walk_whole


@dataclass(frozen=True)
class OwnLayer:
    """Where a stroke goes.

    Attributes
    ----------
    state : with that layer active.
    anchor : above which layer it goes if it was made for the stroke; None: above the active one.
    """

    state: JobState
    anchor: Anchor | None = None


def layer_to_mend_on(state: JobState, name: str) -> OwnLayer:
    """For pixels of the picture as it should be: the active layer if it is one to be painted on,
    or else the one of that name in Clean, or a new one there.

    One that is to be painted on but is locked, hidden or of another mode is the person's choice:
    it is refused, in words, when the stroke is begun on it.
    """
    if _takes(state):
        return OwnLayer(state)
    return _found_or_made(state, name, Stage.CLEAN, anchor_of_weak,
                          lambda layer: is_mendable(state, layer))  # fmt: skip


def layer_to_paint_on(state: JobState, name: str, stage: Stage) -> OwnLayer:
    """For paint: the active layer if it is one to be painted on, or else the stage's own one."""
    if _takes(state):
        return OwnLayer(state)
    return _found_or_made(state, name, stage, _below_reshapes,
                          lambda layer: is_paintable(state, layer))  # fmt: skip


def layer_to_erase_on(state: JobState, stage: Stage) -> OwnLayer:
    """For erasing: the active layer if it was painted on, or else the stage's topmost one that
    was; there is none to be made."""
    if _takes(state) or isinstance(state.active, (LightLayer, PhotoLayer)):
        return OwnLayer(state)
    for layer in reversed([*walk_whole(state.layers)]):
        if (isinstance(layer, PixelLayer) and layer.stage is stage and layer.tiles
                and not work_of(layer) and is_paintable(state, layer)):  # fmt: skip
            return OwnLayer(replace(state, active_id=layer.id))
    return OwnLayer(state)


def _takes(state: JobState) -> bool:
    """True if the active layer is one to be painted on by hand."""
    return isinstance(state.active, PixelLayer) and not work_of(state.active)


def _found_or_made(
    state: JobState, name: str, stage: Stage, anchor: Anchor, takes: Callable[[Layer], bool]
) -> OwnLayer:
    if isinstance(state.active, StackLayer):  # tone and texture are worked on in their own stacks
        return OwnLayer(edits.add_pixel_layer(state, name, stage))
    for layer in reversed(state.layers):
        if (isinstance(layer, PixelLayer) and layer.name == name and layer.stage is stage
                and takes(layer)):  # fmt: skip
            return OwnLayer(replace(state, active_id=layer.id))
    at = replace(state, active_id=anchor(state))
    return OwnLayer(edits.add_pixel_layer(at, name, stage), anchor)


def _below_reshapes(state: JobState) -> int:
    """The active layer, or, where that reshapes, the topmost layer below it."""
    top = path_to(state.layers, state.active_id)[0] if state.active else state.layers[0]
    below = state.layers[: state.layers.index(top) + 1]
    plain = [layer for layer in below if not layer.MOVES]
    return plain[-1].id


