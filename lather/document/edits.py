"""What can be done to the layers of a job: functions from a state to the next state.

Each returns the new state and leaves the old one as it was. What does not apply raises
`EditError` with a sentence for the person. `Job.change` makes a result a named step.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from lather.core.blend.modes import BlendMode
from lather.document.access import paintable, refuse_unless_changeable, refuse_unless_shown
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.findings import Findings, FindingState
from lather.document.layers.computed import PARAMETERS, ComputedLayer, Portrait
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer, Mask, Parts, Stage, new_id, with_new_ids
from lather.document.layers.limits import Limits
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.split import StackLayer
from lather.document.layers.unknown import UnknownLayer
from lather.document.painting.strokes import StrokeRecord
from lather.document.planes import Regions
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK, WHITE_MASK, Tiles
from lather.document.tree import (
    find,
    inserted_above,
    parent_of,
    path_to,
    place_of,
    replaced,
    walk,
)
from lather.errors import EditError

HIDDEN_STRENGTH = 0.5  # of a fresh layer that is to be painted in


def update_layer(state: JobState, layer_id: int, **changes: Any) -> JobState:
    """The state with some attributes of a layer set; itself if nothing differs."""
    layer = state.layer(layer_id)
    if all(getattr(layer, name) == value for name, value in changes.items()):
        return state
    return replace(
        state, layers=replaced(state.layers, layer_id, (replace(layer, **changes),))
    )


def set_visible(state: JobState, layer_id: int, visible: bool) -> JobState:
    return update_layer(state, layer_id, visible=visible)


def set_strength(state: JobState, layer_id: int, strength: float) -> JobState:
    """`strength` 0-1."""
    _refuse_photo(state.layer(layer_id), "have its strength changed")
    refuse_unless_changeable(state, layer_id)
    return update_layer(state, layer_id, strength=min(max(strength, 0.0), 1.0))


def set_mode(state: JobState, layer_id: int, mode: BlendMode) -> JobState:
    _refuse_fixed(state.layer(layer_id), "take a blend mode")
    _refuse_unblended(state.layer(layer_id), "a mask or its strength weakens how far")
    _refuse_unknown(state.layer(layer_id))
    refuse_unless_changeable(state, layer_id)
    return update_layer(state, layer_id, mode=mode)


def set_locked(state: JobState, layer_id: int, locked: bool) -> JobState:
    _refuse_photo(state.layer(layer_id), "be unlocked")
    return update_layer(state, layer_id, locked=locked)


def rename(state: JobState, layer_id: int, name: str) -> JobState:
    name = " ".join(name.split())
    if not name:
        raise EditError("The layer keeps its name", "the new one is empty", "type a name")
    return update_layer(state, layer_id, name=name)


def add_pixel_layer(
    state: JobState, name: str | None = None, stage: Stage = Stage.CLEAN
) -> JobState:
    """An empty layer above the active one, and active; never inside of a locked group."""
    layer = PixelLayer(id=new_id(), name=name or _free_name(state, "Layer"), stage=stage)
    return add_layer(state, layer)


def add_layer(state: JobState, layer: Layer) -> JobState:
    """A layer above the active one, or into it if that is a stack; and active."""
    anchor_id = _open_place(state, state.active_id)
    anchor = state.layer(anchor_id)
    if isinstance(anchor, StackLayer):
        filled = anchor.with_children((*anchor.children, layer))
        layers = replaced(state.layers, anchor_id, (filled,))
    else:
        layers = inserted_above(state.layers, anchor_id, layer)
    return replace(state, layers=layers, active_id=layer.id)


def add_computed(state: JobState, kind: type[ComputedLayer], **values: Any) -> JobState:
    """A layer of a kind with parameters, above the active one, and active."""
    parameters = kind.TAKES()
    for name, value in values.items():
        parameters = parameters.with_value(name, value)
    common = {"id": new_id(), "name": _free_name(state, kind.TITLE), "stage": Stage.EVEN}
    parts = Parts(
        {PARAMETERS: parameters.values}, {name: kind.blank(name) for name in kind.PLANES}
    )
    return add_layer(state, kind.made(common, parts))


def add_set(
    state: JobState, kind: type[ComputedLayer], stage: Stage, values: Mapping[str, Any]
) -> JobState:
    """`add_computed`, for a stage."""
    state = add_computed(state, kind, **values)
    return update_layer(state, state.active_id, stage=stage)


def start_computed(
    state: JobState, kind: type[ComputedLayer], grain_l: float | None = None
) -> JobState:
    """`add_computed` as a person begins: by lengths of this portrait, and its grain if measured.

    Where there is an area the layer shows in it. What would change too much at once is else hidden,
    to be painted in, and at half of its strength."""
    portrait = Portrait(state.photo.rect, state.findings.mm_per_px, grain_l)
    fitting, _ = kind.TAKES.nearest(**kind.starts(portrait))
    state = add_computed(state, kind, **fitting.values)
    if state.area is not None and kind.BLENDS and not kind.PAINTED_WITH:
        state = update_layer(state, state.active_id, mask=Mask(tiles=state.area))
    elif kind.STARTS_HIDDEN:
        state = add_mask(state, state.active_id, hide_all=True)
    if kind.STARTS_HIDDEN:
        state = set_strength(state, state.active_id, HIDDEN_STRENGTH)
    return state


def set_limits(state: JobState, layer_id: int, limits: Limits) -> JobState:
    """What a layer is limited to, beside its mask; EditError if it stays as it is."""
    _refuse_photo(state.layer(layer_id), "be limited")
    _refuse_unblended(state.layer(layer_id), "hold what is not to move, or use a mask")
    _refuse_unknown(state.layer(layer_id))
    refuse_unless_changeable(state, layer_id)
    if limits.span.low_l > limits.span.high_l:
        raise EditError("The limits stay as they are", "the span ends before it begins")
    return update_layer(state, layer_id, limits=limits)


def set_parameter(state: JobState, layer_id: int, name: str, value: Any) -> JobState:
    """One parameter of a computed layer; `EditError` says what is allowed."""
    layer = state.layer(layer_id)
    if not isinstance(layer, ComputedLayer):
        raise EditError(f"'{layer.name}' stays as it is", "it has no parameters")
    refuse_unless_changeable(state, layer_id)
    return update_layer(state, layer_id, parameters=layer.parameters.with_value(name, value))


def insert_on_top(state: JobState, layer: Layer) -> JobState:
    return replace(state, layers=(*state.layers, layer), active_id=layer.id)


def duplicate(state: JobState, layer_id: int) -> JobState:
    layer = state.layer(layer_id)
    _refuse_fixed(layer, "be duplicated")
    _refuse_unknown(*walk((layer,)))
    copy = replace(with_new_ids(layer), name=_free_name(state, f"{layer.name} copy"))
    layers = inserted_above(state.layers, _open_place(state, layer_id), copy)
    return replace(state, layers=layers, active_id=copy.id)


def delete(state: JobState, layer_id: int) -> JobState:
    """Without a layer; what it mended or evened is open again."""
    layer = state.layer(layer_id)
    _refuse_fixed(layer, "be deleted")
    for inner in walk((layer,)):
        refuse_unless_changeable(state, inner.id)
    among, index = place_of(state.layers, layer_id)
    parent = parent_of(state.layers, layer_id)
    rest = among[:index] + among[index + 1 :]
    if rest:
        next_active = rest[max(0, index - 1)].id
    else:
        next_active = parent.id if parent else state.layers[0].id
    findings = state.findings.without_layers(gone.id for gone in walk((layer,)))
    return replace(state, layers=replaced(state.layers, layer_id, ()), active_id=next_active,
                   findings=findings)  # fmt: skip


def group(state: JobState, layer_id: int) -> JobState:
    """Put a layer into a new group in its place."""
    layer = state.layer(layer_id)
    _refuse_fixed(layer, "be grouped")
    _refuse_in_locked_group(state, layer_id)
    new = GroupLayer(
        id=new_id(), name=_free_name(state, "Group"), stage=layer.stage, children=(layer,)
    )
    layers = replaced(state.layers, layer_id, (new,))
    return replace(state, layers=layers, active_id=new.id)


def move(state: JobState, layer_id: int, *, above_id: int) -> JobState:
    """Take a layer out and put it directly above another (the photo: lowest place)."""
    if layer_id == above_id:
        return state
    layer = state.layer(layer_id)
    _refuse_fixed(layer, "be moved")
    if find((layer,), above_id):
        raise EditError(f"'{layer.name}' stays where it is", "a group cannot go into itself")
    _refuse_in_locked_group(state, layer_id)
    _refuse_in_locked_group(state, above_id)
    if isinstance(state.layer(above_id), StackLayer):
        return move_into(state, layer_id, group_id=above_id)
    layers = replaced(state.layers, layer_id, ())
    return replace(state, layers=inserted_above(layers, above_id, layer))


def move_into(state: JobState, layer_id: int, *, group_id: int) -> JobState:
    """Put a layer on top inside a group."""
    layer, target = state.layer(layer_id), state.layer(group_id)
    _refuse_fixed(layer, "be moved into a group")
    if not isinstance(target, (GroupLayer, StackLayer)) or find((layer,), group_id):
        raise EditError(f"'{layer.name}' stays where it is", f"it cannot go into '{target.name}'")
    _refuse_in_locked_group(state, layer_id)
    refuse_unless_changeable(state, group_id)
    layers = replaced(state.layers, layer_id, ())
    group_now = find(layers, group_id)
    assert group_now is not None
    filled = group_now.with_children((*group_now.children, layer))
    return replace(state, layers=replaced(layers, group_id, (filled,)))


def raise_layer(state: JobState, layer_id: int) -> JobState:
    return _shift(state, layer_id, +1)


def lower_layer(state: JobState, layer_id: int) -> JobState:
    return _shift(state, layer_id, -1)


def add_mask(state: JobState, layer_id: int, *, hide_all: bool = False) -> JobState:
    layer = state.layer(layer_id)
    _refuse_photo(layer, "take a mask")
    _refuse_unknown(layer)
    refuse_unless_changeable(state, layer_id)
    if layer.mask is not None:
        raise EditError(f"'{layer.name}' already has a mask", advice="paint on it or remove it")
    mask = Mask(tiles=BLACK_MASK if hide_all else WHITE_MASK)
    return update_layer(state, layer_id, mask=mask)


def remove_mask(state: JobState, layer_id: int) -> JobState:
    _changeable_mask(state, layer_id)
    return update_layer(state, layer_id, mask=None)


def invert_mask(state: JobState, layer_id: int) -> JobState:
    mask = _changeable_mask(state, layer_id)
    return update_layer(state, layer_id, mask=replace(mask, inverted=not mask.inverted))


def switch_mask(state: JobState, layer_id: int) -> JobState:
    mask = _changeable_mask(state, layer_id)
    return update_layer(state, layer_id, mask=replace(mask, enabled=not mask.enabled))


def set_pixels(
    state: JobState, layer_id: int, tiles: Tiles, stroke: StrokeRecord | None = None
) -> JobState:
    """The outcome of a stroke on a pixel layer."""
    layer = paintable(state, layer_id)
    strokes = layer.strokes if stroke is None else (*layer.strokes, stroke)
    return update_layer(state, layer_id, tiles=tiles, strokes=strokes)


def set_mask_pixels(state: JobState, layer_id: int, tiles: Tiles) -> JobState:
    mask = _changeable_mask(state, layer_id)
    return update_layer(state, layer_id, mask=replace(mask, tiles=tiles))


def set_delivery_long_side(state: JobState, long_side_px: int | None) -> JobState:
    return set_brief(state, replace(state.brief, delivery_long_side_px=long_side_px))


def set_findings(state: JobState, findings: Findings) -> JobState:
    return state if findings == state.findings else replace(state, findings=findings)


def set_survey(state: JobState, findings: Findings, regions: Regions) -> JobState:
    """What a survey measured."""
    return replace(state, findings=findings, regions=regions)


def set_style(state: JobState, style: Style) -> JobState:
    """The brief's style; open and kept findings follow it, decisions stay."""
    return set_brief(state, replace(state.brief, style=style))


def decide(
    state: JobState, ids: Iterable[int], decision: FindingState, *, by: int | None = None
) -> JobState:
    """Put findings into another state; `by` is the layer on which they were done."""
    return set_findings(state, state.findings.decided(ids, decision, by=by))


def mask_paintable(state: JobState, layer_id: int) -> Mask:
    """The layer's mask, if a brush may work on it."""
    refuse_unless_changeable(state, layer_id)
    refuse_unless_shown(state, layer_id, own_mask=False)
    return mask_of(state, layer_id)


def _shift(state: JobState, layer_id: int, step: int) -> JobState:
    _refuse_fixed(state.layer(layer_id), "be moved")
    _refuse_in_locked_group(state, layer_id)
    place = place_of(state.layers, layer_id)
    among, index = list(place[0]), place[1]
    target = index + step
    if not 0 <= target < len(among) or among[target].IS_FIXED:
        return state
    among[index], among[target] = among[target], among[index]
    parent = parent_of(state.layers, layer_id)
    if parent is None:
        return replace(state, layers=tuple(among))
    shifted = parent.with_children(tuple(among))
    return replace(state, layers=replaced(state.layers, parent.id, (shifted,)))


def set_mask(state: JobState, layer_id: int, mask: Mask) -> JobState:
    """Another mask of a layer, which may have had none."""
    refuse_unless_maskable(state, layer_id)
    return update_layer(state, layer_id, mask=mask)


def refuse_unless_maskable(state: JobState, layer_id: int) -> None:
    _refuse_photo(state.layer(layer_id), "have a mask")
    _refuse_unknown(state.layer(layer_id))
    refuse_unless_changeable(state, layer_id)


def mask_of(state: JobState, layer_id: int) -> Mask:
    """The layer's mask; EditError if it has none."""
    layer = state.layer(layer_id)
    if layer.mask is None:
        raise EditError(f"'{layer.name}' has no mask", advice="add one first")
    return layer.mask


def _changeable_mask(state: JobState, layer_id: int) -> Mask:
    mask = mask_of(state, layer_id)
    refuse_unless_changeable(state, layer_id)
    return mask


def _refuse_photo(layer: Layer, what: str) -> None:
    if isinstance(layer, PhotoLayer):
        raise EditError(
            f"The photo cannot {what}", "it is never changed", "work on a layer above it"
        )


def _refuse_fixed(layer: Layer, what: str) -> None:
    """The photo, and what belongs to the layer that it lies in."""
    _refuse_photo(layer, what)
    if layer.IS_FIXED:
        raise EditError(
            f"'{layer.name}' cannot {what}", f"it is {layer.NOUN}", "do it with the whole of it"
        )


def _refuse_unblended(layer: Layer, advice: str) -> None:
    if not layer.BLENDS:
        raise EditError(
            f"'{layer.name}' stays as it is", f"it is {layer.NOUN}, which blends nothing", advice
        )


def _refuse_unknown(*layers: Layer) -> None:
    for inner in layers:
        if isinstance(inner, UnknownLayer):
            raise EditError(
                f"'{inner.name}' stays as it is", "it was made by a newer Lather", "update Lather"
            )


def _refuse_in_locked_group(state: JobState, layer_id: int) -> None:
    """What a locked group holds stays in its place."""
    parent = parent_of(state.layers, layer_id)
    if parent is not None:
        refuse_unless_changeable(state, parent.id)


def _open_place(state: JobState, layer_id: int) -> int:
    """The layer above which, or in which if it is a stack, another one may go: the outermost locked
    group around, if any; above all of a split of which a stack is locked."""
    path = path_to(state.layers, layer_id)
    for n, layer in enumerate(path):
        is_stack = isinstance(layer, StackLayer)
        if layer.locked and (is_stack or layer.id != layer_id):
            return path[n - 1].id if is_stack else layer.id
    return layer_id


def _free_name(state: JobState, stem: str) -> str:
    taken = {layer.name for layer in walk(state.layers)}
    if stem not in taken and stem not in ("Layer", "Group"):
        return stem
    number = 1
    while f"{stem} {number}" in taken:
        number += 1
    return f"{stem} {number}"
