"""Commands on layers and masks."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lather.actions.action import Action, Run, When, has_job
from lather.actions.findings.geometry import has_regions
from lather.actions.hand.taking import take
from lather.actions.work.aside import change_aside
from lather.actions.workbench import Workbench
from lather.assist import adding, masks
from lather.document import edits, ungrouping
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.split import SplitLayer
from lather.document.layers.table import COMPUTED
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.errors import EditError
from lather.tools.base import Tool

Edit = Callable[..., JobState]


above_photo = has_job & When.that(
    lambda bench: not isinstance(bench.state.active, PhotoLayer),
    "the photo is active, which is never changed: pick a layer above it",
)
has_mask = has_job & When.that(
    lambda bench: bench.state.active.mask is not None,
    "the layer has no mask: add one ({key:mask.add})",
)
_may_have_mask = above_photo & When.that(
    lambda bench: not has_mask(bench), "the layer has a mask already: paint on it, or remove it"
)
_is_group = has_job & When.that(
    lambda bench: isinstance(bench.state.active, GroupLayer), "the layer is no group: pick one"
)


def _edit(name: str, edit: Edit, **kwargs: Any) -> Run:
    """A command that applies an edit to the active layer."""
    return lambda bench: bench.change(name, edit, bench.state.active_id, **kwargs)


def _add_layer(bench: Workbench) -> None:
    bench.change("New layer", edits.add_pixel_layer)


def rename(bench: Workbench, layer_id: int) -> None:
    layer = bench.state.layer(layer_id)
    name = bench.ask.text("Rename layer", "Name", layer.name)
    if name is not None:
        bench.change("Rename layer", edits.rename, layer.id, name)


def toggle_visible(bench: Workbench, layer_id: int) -> None:
    layer = bench.state.layer(layer_id)
    name = "Hide layer" if layer.visible else "Show layer"
    bench.change(name, edits.set_visible, layer.id, not layer.visible)


def _toggle_lock(bench: Workbench) -> None:
    layer = bench.state.active
    name = "Unlock layer" if layer.locked else "Lock layer"
    bench.change(name, edits.set_locked, layer.id, not layer.locked)


def _merge_copy(bench: Workbench) -> None:
    before = bench.state

    def said() -> str:
        went_on = bench.state.layers is not before.layers
        return "The copy shows the picture as it was when it was begun." if went_on else ""

    change_aside(bench, adding.MERGED_NAME, adding.merged_copy, title="Merging", said=said)


def _ungroup(bench: Workbench) -> None:
    """The picture stays as it is, or the person is asked about what would be lost."""
    group = bench.state.active
    assert isinstance(group, GroupLayer)
    lost = ungrouping.lost_by_ungrouping(group)
    if lost and not bench.ask.ungroup(group.name, lost):
        return
    bench.change("Ungroup", ungrouping.ungroup, group.id)
    if lost:
        bench.say(f"'{group.name}' was taken apart without {', '.join(lost)}.")


def _remove_mask(bench: Workbench) -> None:
    bench.change("Remove mask", edits.remove_mask, bench.state.active_id)


def _from_region(bench: Workbench) -> None:
    region, layer_id = bench.hand.region, bench.state.active_id
    masks.of_region(bench.state, layer_id, region)  # whatever is wrong with it is said now
    change_aside(bench, f"Mask from region: {region.label}", masks.from_region,
                 layer_id=layer_id, region=region)  # fmt: skip


def _from_span(bench: Workbench) -> None:
    layer_id = bench.state.active_id
    masks.of_span(bench.state, layer_id)
    change_aside(bench, "Mask from lightness", masks.from_span, layer_id=layer_id)


_has_span = above_photo & When.that(
    lambda bench: not bench.state.active.limits.span.is_open,
    "the layer is not limited to a span of lightness: set one ({key:layer.limits})",
)


_has_settings = has_job & When.that(
    lambda bench: isinstance(bench.state.active, ComputedLayer)
    or not bench.state.active.limits.are_open or bench.looks.limits,
    "the layer has nothing to set: its strength and mode are in its row",
)


def _show_limits(bench: Workbench) -> None:
    shown = not bench.looks.limits
    bench.look(limits=shown, card=shown or bench.looks.card)


def _from_change(bench: Workbench) -> None:
    given = bench.ask.text("Mask from change", "Changed by more than (L*)", "2")
    if given is None:
        return
    try:
        least_l = float(given)
    except ValueError as error:
        raise EditError("No mask was made", f"'{given}' is no number", "type L*, such as 2") from (
            error
        )
    layer_id = bench.state.active_id
    masks.of_change(bench.state, layer_id, least_l)
    change_aside(bench, "Mask from change", masks.from_change, layer_id=layer_id, least_l=least_l)


def _from_colours(bench: Workbench) -> None:
    if not has_mask(bench):
        bench.change("Add mask", edits.add_mask, bench.state.active_id)
    take(bench, "pick")
    bench.set_on_mask(True)
    bench.say("Press on a colour in the picture: the layer will show on colours like it.")


def _soften(bench: Workbench) -> None:
    sigma_px = max(masks.SOFT_MM * px_per_mm(bench.state), 1.0)
    change_aside(bench, "Soften mask", masks.softened, layer_id=bench.state.active_id,
                 sigma_px=sigma_px)  # fmt: skip


def _steepen(bench: Workbench) -> None:
    change_aside(bench, "Steepen mask", masks.steepened, layer_id=bench.state.active_id)


def takes_no_paint(bench: Workbench, entry: Tool | None = None) -> bool:
    """Nothing is painted on the active layer itself, by that tool or at all."""
    layer = bench.state.active if bench.job is not None else None
    computed = isinstance(layer, ComputedLayer) and not layer.planes
    makes_layer = entry is not None and entry.makes_layer
    return computed and not makes_layer and not bench.hands.on_mask


def _add_computed(kind: type[ComputedLayer]) -> Action:
    def run(bench: Workbench) -> None:
        name = f"Add {kind.TITLE.lower()}"
        if adding.takes_time(bench.state, kind):
            change_aside(bench, name, adding.started, then=lambda: added(bench), kind=kind)
        else:
            bench.change(name, adding.started, kind)
            added(bench)

    def added(bench: Workbench) -> None:
        if kind.PAINTED_WITH:
            take(bench, kind.PAINTED_WITH)
        elif bench.state.area is not None:
            bench.say(f"'{kind.TITLE}' shows in the area, which is its mask now.")
        elif kind.STARTS_HIDDEN:
            bench.set_on_mask(True)
            bench.say(f"'{kind.TITLE}' is hidden: paint it in where it is wanted.")

    return Action(f"layer.add_{kind.KIND}", f"Add: {kind.TITLE}", kind.HELP, "Layer", run,
                  enabled=has_job)  # fmt: skip


_COMPUTED = tuple(_add_computed(kind) for kind in COMPUTED if kind.BY_HAND)

def _split_to_layers(bench: Workbench) -> None:
    from lather.assist.split_layers import with_two_layers  # OpenCV is not loaded before

    said = "The split is hidden; above it lie its tone, normal, and its texture, linear light."
    change_aside(bench, "Split as two layers", with_two_layers, said=lambda: said,
                 split_id=bench.state.active_id)  # fmt: skip


_is_split = has_job & When.that(
    lambda bench: isinstance(bench.state.active, SplitLayer), "the layer is no split: pick one"
)


ACTIONS = (
    Action("layer.new", "New layer", "An empty layer above the active one.", "Layer",
           _add_layer, "plus", enabled=has_job),
    *_COMPUTED,
    Action("layer.duplicate", "Duplicate layer", "A copy above the active layer.", "Layer",
           _edit("Duplicate layer", edits.duplicate), enabled=above_photo),
    Action("layer.delete", "Delete layer", "Remove the active layer.", "Layer",
           _edit("Delete layer", edits.delete), "bin", enabled=above_photo),
    Action("layer.rename", "Rename layer…", "Give the active layer another name.", "Layer",
           lambda bench: rename(bench, bench.state.active_id), enabled=has_job),
    Action("layer.visible", "Show or hide layer", "Switch the active layer on or off.", "Layer",
           lambda bench: toggle_visible(bench, bench.state.active_id), enabled=has_job,
           checked=lambda bench: bench.job is not None and bench.state.active.visible),
    Action("layer.lock", "Lock layer", "A locked layer cannot be painted on or deleted.",
           "Layer", _toggle_lock, enabled=above_photo,
           checked=lambda bench: bench.job is not None and bench.state.active.locked),
    Action("layer.raise", "Raise layer", "One place up.", "Layer",
           _edit("Raise layer", edits.raise_layer), enabled=above_photo),
    Action("layer.lower", "Lower layer", "One place down.", "Layer",
           _edit("Lower layer", edits.lower_layer), enabled=above_photo),
    Action("layer.group", "Group layer", "Put the active layer into a new group.", "Layer",
           _edit("Group layer", edits.group), "group", enabled=above_photo),
    Action("layer.ungroup", "Ungroup", "Take the layers out of the active group.", "Layer",
           _ungroup, enabled=_is_group),
    Action("layer.split_to_layers", "Split as two layers",
           "Its tone and texture as ordinary layers, normal and linear light, to be exported for "
           "other programs.", "Layer", _split_to_layers, enabled=_is_split),
    Action("layer.merge_copy", "Merged copy on top",
           "All that shows as one new layer; the layers below stay.", "Layer",
           _merge_copy, enabled=has_job),
    Action("mask.add", "Add mask", "A mask that shows all; paint on it to hide.", "Mask",
           _edit("Add mask", edits.add_mask), "mask", enabled=_may_have_mask),
    Action("mask.add_hidden", "Add mask that hides",
           "A mask that hides all; paint on it to show.", "Mask",
           _edit("Add mask", edits.add_mask, hide_all=True), enabled=_may_have_mask),
    Action("mask.paint", "Paint on the mask", "The brush works on the mask, not the pixels.",
           "Mask", lambda bench: bench.set_on_mask(not bench.hands.on_mask),
           enabled=has_mask, checked=lambda bench: bench.hands.on_mask),
    Action("mask.invert", "Invert mask", "Show what was hidden and hide what was shown.",
           "Mask", _edit("Invert mask", edits.invert_mask), enabled=has_mask),
    Action("mask.switch", "Mask counts", "Switch the mask off without losing it.", "Mask",
           _edit("Switch mask", edits.switch_mask), enabled=has_mask,
           checked=lambda bench: bench.job is not None
           and bench.state.active.mask is not None and bench.state.active.mask.enabled),
    Action("mask.alone", "View the mask alone", "White shows, black hides.", "Mask",
           lambda bench: bench.look(mask_alone=not bench.looks.mask_alone),
           enabled=has_mask, checked=lambda bench: bench.looks.mask_alone),
    Action("mask.softer", "Soften mask", "Its rim fades wider; again for more.", "Mask",
           _soften, enabled=has_mask),
    Action("mask.harder", "Steepen mask", "Its rim becomes harder; again for more.", "Mask",
           _steepen, enabled=has_mask),
    Action("mask.from_region", "Mask from region",
           "The layer shows on the region that is chosen for the region lens.", "Mask",
           _from_region, enabled=above_photo & has_regions),
    Action("mask.from_lightness", "Mask from lightness",
           "The layer's span of lightness, as it is now, becomes its mask.", "Mask",
           _from_span, enabled=_has_span),
    Action("mask.from_colours", "Mask from colours…",
           "Press on the picture: the layer shows on colours like that.", "Mask",
           _from_colours, enabled=above_photo),
    Action("mask.from_change", "Mask from change…",
           "The layer shows where the layers below it changed the lightness.", "Mask",
           _from_change, enabled=above_photo),
    Action("layer.limits", "Limits of the layer",
           "Where it shows without a mask: a span of lightness, regions of the portrait.", "Layer",
           _show_limits, "limits",
           enabled=above_photo, checked=lambda bench: bench.looks.limits),
    Action("layer.card", "Settings of the layer, or brush",
           "What can be set of the active layer, in the place of the brush; again: the brush.",
           "Layer", lambda bench: bench.look(card=not bench.looks.card), enabled=_has_settings,
           checked=lambda bench: bench.looks.card),
    Action("mask.remove", "Remove mask", "The layer shows everywhere again.", "Mask",
           _remove_mask, enabled=has_mask),
)
