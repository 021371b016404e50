"""Taking a group apart: its layers look as they did in it, or what is lost is told before."""

from __future__ import annotations

from dataclasses import replace

from lather.core.blend.modes import BlendMode
from lather.document.access import refuse_unless_changeable
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tree import replaced
from lather.errors import EditError


def ungroup(state: JobState, layer_id: int) -> JobState:
    """Put a group's layers in its place. What the group did to them they take over where that
    looks the same (`lost_by_ungrouping`); the rest goes."""
    layer = state.layer(layer_id)
    if not isinstance(layer, GroupLayer):
        raise EditError(f"'{layer.name}' stays as it is", "it is not a group", "pick a group")
    refuse_unless_changeable(state, layer_id)
    children = layer.children
    if not lost_by_ungrouping(layer):
        children = tuple(_with_look_of(layer, child) for child in children)
    layers = replaced(state.layers, layer_id, children)
    active = layer.children[-1].id if layer.children else state.layers[0].id
    return replace(state, layers=layers, active_id=active)


def lost_by_ungrouping(group: GroupLayer) -> tuple[str, ...]:
    """What of a group's look its layers cannot take over, in words; () if they look the same.

    A hidden group's layers are hidden. One layer by itself takes over strength, mask, limits and
    mode as far as it has none of its own; several would mix otherwise than as a group.
    """
    if not group.is_shown or not group.children:
        return ()
    inner = group.children[0] if len(group.children) == 1 else None
    plain = inner is not None and inner.BLENDS and isinstance(inner, (PixelLayer, ComputedLayer))
    lost = []
    if group.mode is not BlendMode.NORMAL and not (
        isinstance(inner, PixelLayer) and inner.mode is BlendMode.NORMAL
    ):
        lost.append(f"its mode {group.mode.value}")
    if group.strength < 1 and not plain:
        lost.append(f"its strength of {group.strength:.0%}")
    has_mask = group.mask is not None and group.mask.enabled
    if has_mask and not (plain and inner is not None and inner.mask is None):
        lost.append("its mask")
    if not group.limits.are_open and not (
        plain and inner is not None and inner.limits.are_open
    ):
        lost.append("its limits")
    return tuple(lost)


def _with_look_of(group: GroupLayer, child: Layer) -> Layer:
    """A layer that looks outside of its group as it did in it, where it can."""
    if not group.visible:
        return replace(child, visible=False)
    if len(group.children) > 1 or not isinstance(child, (PixelLayer, ComputedLayer)):
        return replace(child, visible=False) if group.strength <= 0 else child
    return replace(
        child,
        strength=child.strength * group.strength,
        mode=child.mode if group.mode is BlendMode.NORMAL else group.mode,
        mask=child.mask if group.mask is None or not group.mask.enabled else group.mask,
        limits=child.limits if group.limits.are_open else group.limits,
    )
