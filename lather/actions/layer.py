"""Commands on layers and masks."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lather.actions.action import Action, Run, has_job
from lather.actions.aside import merge_aside, take_merged
from lather.actions.workbench import Workbench
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.table import COMPUTED
from lather.document.merge import Merged
from lather.document.state import JobState

Edit = Callable[..., JobState]


def above_photo(bench: Workbench) -> bool:
    return bench.job is not None and not isinstance(bench.state.active, PhotoLayer)


def has_mask(bench: Workbench) -> bool:
    return bench.job is not None and bench.state.active.mask is not None


def _may_have_mask(bench: Workbench) -> bool:
    return above_photo(bench) and not has_mask(bench)


def _is_group(bench: Workbench) -> bool:
    return bench.job is not None and isinstance(bench.state.active, GroupLayer)


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

    def work(state: JobState, progress: Progress, cancel: CancelToken) -> JobState:
        from lather.render.flatten import merged_layer

        layer = merged_layer(state, "Merged copy", progress=progress, cancel=cancel)
        return edits.insert_on_top(state, layer)

    def done(merged: Merged) -> None:
        went_on = bench.state.layers is not before.layers
        said = "The copy shows the picture as it was when it was begun." if went_on else ""
        take_merged(bench, "Merged copy", merged, said)

    merge_aside(bench, "Merging", work, done)


def _remove_mask(bench: Workbench) -> None:
    bench.change("Remove mask", edits.remove_mask, bench.state.active_id)


def _add_computed(kind: type[ComputedLayer]) -> Action:
    def run(bench: Workbench) -> None:
        bench.change(f"Add {kind.TITLE.lower()}", edits.start_computed, kind)
        if kind.PAINTED_WITH:
            bench.hands.take_tool(kind.PAINTED_WITH)

    return Action(f"layer.add_{kind.KIND}", f"Add: {kind.TITLE}", kind.HELP, "Layer", run,
                  enabled=has_job)  # fmt: skip


_COMPUTED = tuple(map(_add_computed, COMPUTED))

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
           _edit("Ungroup", edits.ungroup), enabled=_is_group),
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
    Action("mask.remove", "Remove mask", "The layer shows everywhere again.", "Mask",
           _remove_mask, enabled=has_mask),
)
