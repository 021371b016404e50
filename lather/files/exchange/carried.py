"""What OpenRaster can carry of a layer, and what of it is lost: asked by who tells and who writes.

A layer is written as itself where the format means the same by it; else as a picture.
"""

from __future__ import annotations

from enum import Enum

from lather.core.blend.modes import BlendMode
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.unknown import UnknownLayer
from lather.document.state import JobState
from lather.document.tree import walk

PARAMETERS_ATTRIBUTE = "lather-parameters"
NOT_CARRIED = (BlendMode.LINEAR_LIGHT, BlendMode.EXCLUSION)


class Carried(Enum):
    """As what a layer is written."""

    ITSELF = "itself"
    PICTURE = "picture"  # what it is laid on, with it: opaque
    CONTENT = "content"  # of a group by itself, in the group's own mode
    NOTHING = "nothing"


def carried_as(layer: Layer) -> Carried:
    if isinstance(layer, UnknownLayer):
        return Carried.NOTHING
    if isinstance(layer, ComputedLayer) or not layer.limits.are_open:
        return Carried.PICTURE
    if not isinstance(layer, GroupLayer):
        return Carried.ITSELF
    inner = list(walk(layer.children))
    # A mask is put into each layer of its group, which several together show otherwise.
    # What moves in it is weakened in how far it goes, not mixed with where it was.
    moves = any(child.MOVES for child in inner)
    joins = shows_mask(layer) and (len(inner) > 1 or moves)
    if layer.isolated:
        has_pictures = any(carried_as(child) is Carried.PICTURE for child in inner)
        return Carried.CONTENT if joins or has_pictures else Carried.ITSELF
    blends = any(child.mode is not BlendMode.NORMAL for child in inner)
    weakens = (blends or moves) and layer.strength < 1
    return Carried.PICTURE if joins or weakens else Carried.ITSELF


def shows_mask(layer: Layer) -> bool:
    return layer.mask is not None and layer.mask.enabled


def not_carried(state: JobState) -> list[str]:
    """What OpenRaster loses of a job, a sentence each."""
    losses = [loss for layer in state.layers for loss in _losses_of(layer)]
    n_strokes = sum(len(layer.strokes) for layer in walk(state.layers))
    if n_strokes:
        losses.append(f"{n_strokes} strokes as data, stages and the brief stay in the job file.")
    return losses


def _losses_of(layer: Layer) -> list[str]:
    """Of a layer and of those in it."""
    name, how = f"'{layer.name}'", carried_as(layer)
    if how is Carried.NOTHING:
        return [f"{name}: made by a newer Lather, it stays in the job file."]
    if isinstance(layer, ComputedLayer):
        return [f"{name}: written as its pixels; its parameters are in its attribute "
                f"{PARAMETERS_ATTRIBUTE}."]  # fmt: skip
    if not layer.limits.are_open:
        return [f"{name}: written as the picture up to it, as it is limited."]
    if how is not Carried.ITSELF:
        return [f"{name}: written as one picture, since its layers together would look otherwise "
                "in other programs."]  # fmt: skip
    losses = []
    if layer.mode in NOT_CARRIED:
        losses.append(f"{name}: mode {layer.mode.value} becomes normal in other programs: set it "
                      "there.")  # fmt: skip
    if shows_mask(layer):
        whose = "its layer's" if isinstance(layer, GroupLayer) else "the layer's"
        losses.append(f"{name}: the mask is put into {whose} transparency.")
    return losses + [loss for child in layer.children for loss in _losses_of(child)]
