"""The edits that are operations, pure functions of a state and arguments; and how a call of one
becomes an operation."""

from __future__ import annotations

import inspect
from dataclasses import replace
from typing import Any

from lather.assist.meanwhile import merged_with
from lather.document.operations.call import Call
from lather.document.operations.operation import Again
from lather.document.state import JobState
from lather.operations.arguments import (
    BRIEF,
    COUNT,
    DECISION,
    FINDINGS,
    FLAG,
    LAYER,
    LAYER_KIND,
    LENGTH,
    LIMITS,
    MODE,
    PICKED,
    PLACE,
    REGION,
    SHARE,
    STAGE,
    STYLE,
    TEXT,
    TRIAL,
    VALUE,
    VALUES,
    WRITTEN_BRIEF,
    Argument,
    number,
    optional,
)
from lather.operations.kind import Doing, Edit, EditKind, edited


def _do(doing: Doing) -> JobState:
    """The edit of what it was worked out on, in the state of then."""
    kind = BY_ID[doing.operation.id]
    after = edited(kind.function, doing.begun, kind.values(doing.operation), doing.progress,
                   doing.cancel)  # fmt: skip
    if doing.begun is doing.now:
        return after
    return merged_with(doing.begun, after, doing.now).state


def _row(
    id: str, told: str, edit: str, again: Again = Again.SAME, stroke: str = "",  # noqa: A002
    **arguments: Argument,
) -> EditKind:
    return EditKind(id, told, _do, arguments, again, edit, stroke)


EDITS = (
    _row("layer.new", "an empty layer", "document.edits:add_pixel_layer",
         name=optional(TEXT), stage=STAGE),
    _row("layer.add", "a layer of a kind", "assist.adding:started", kind=LAYER_KIND),
    _row("layer.add_set", "a layer of a kind, set", "document.edits:add_set",
         kind=LAYER_KIND, stage=STAGE, values=VALUES),
    _row("layer.duplicate", "a copy of a layer", "document.edits:duplicate", layer_id=LAYER),
    _row("layer.delete", "without a layer", "document.edits:delete", layer_id=LAYER),
    _row("layer.rename", "a layer's name", "document.edits:rename", layer_id=LAYER, name=TEXT),
    _row("layer.visible", "a layer shown or hidden", "document.edits:set_visible",
         layer_id=LAYER, visible=FLAG),
    _row("layer.lock", "a layer locked or not", "document.edits:set_locked",
         layer_id=LAYER, locked=FLAG),
    _row("layer.strength", "a layer's strength", "document.edits:set_strength",
         layer_id=LAYER, strength=SHARE),
    _row("layer.mode", "a layer's blend mode", "document.edits:set_mode",
         layer_id=LAYER, mode=MODE),
    _row("layer.limits", "what a layer is limited to", "document.edits:set_limits",
         layer_id=LAYER, limits=LIMITS),
    _row("layer.parameter", "a parameter of a layer", "document.edits:set_parameter",
         layer_id=LAYER, name=TEXT, value=VALUE),
    _row("layer.pick", "picked colours for a layer", "assist.picking:apply_pick",
         layer_id=LAYER, picked=PICKED, curve=TEXT),
    _row("layer.move", "a layer above another", "document.edits:move",
         layer_id=LAYER, above_id=LAYER),
    _row("layer.move_into", "a layer into a group", "document.edits:move_into",
         layer_id=LAYER, group_id=LAYER),
    _row("layer.raise", "a layer one place up", "document.edits:raise_layer", layer_id=LAYER),
    _row("layer.lower", "a layer one place down", "document.edits:lower_layer", layer_id=LAYER),
    _row("layer.group", "a layer in a new group", "document.edits:group", layer_id=LAYER),
    _row("layer.ungroup", "a group taken apart", "document.ungrouping:ungroup", layer_id=LAYER),
    _row("layer.merge_copy", "all that shows as a layer", "assist.adding:merged_copy"),
    _row("layer.split_to_layers", "a split as two layers", "assist.split_layers:with_two_layers",
         split_id=LAYER),
    _row("mask.add", "a mask", "document.edits:add_mask", layer_id=LAYER, hide_all=FLAG),
    _row("mask.remove", "without a mask", "document.edits:remove_mask", layer_id=LAYER),
    _row("mask.invert", "a mask inside out", "document.edits:invert_mask", layer_id=LAYER),
    _row("mask.switch", "a mask counts or not", "document.edits:switch_mask", layer_id=LAYER),
    _row("mask.softer", "a mask's rim softer", "assist.masks:softened",
         layer_id=LAYER, sigma_px=LENGTH),
    _row("mask.harder", "a mask's rim steeper", "assist.masks:steepened", layer_id=LAYER),
    _row("mask.from_region", "a region as mask", "assist.masks:from_region",
         layer_id=LAYER, region=REGION),
    _row("mask.from_lightness", "a span of lightness as mask", "assist.masks:from_span",
         layer_id=LAYER),
    _row("mask.from_change", "what was changed as mask", "assist.masks:from_change",
         layer_id=LAYER, least_l=number("L*", 0.0, 100.0)),
    _row("area.to_mask", "the area as mask", "assist.masks:from_area", layer_id=LAYER),
    _row("area.clear", "no area", "document.areas:no_area"),
    _row("area.invert", "the area inside out", "document.areas:invert"),
    _row("area.grow", "the area's rim outwards, or inwards", "document.areas:grow", by_px=LENGTH),
    _row("area.feather", "the area's rim softer", "document.areas:feather", width_px=LENGTH),
    _row("area.from_layer", "a layer's pixels as area", "document.areas:from_layer",
         layer_id=LAYER),
    _row("area.from_mask", "a layer's mask as area", "document.areas:from_mask", layer_id=LAYER),
    _row("even.reference", "the area as reference", "document.areas:take_reference"),
    _row("even.forget_reference", "no reference", "document.areas:forget_reference"),
    _row("brief.set", "the brief", "document.agreed.briefing:set_brief", brief=BRIEF),
    _row("brief.open", "a brief from a file", "assist.briefing:taken_over", held=WRITTEN_BRIEF),
    _row("brief.style", "the brief's style", "document.edits:set_style", style=STYLE),
    _row("check.blind", "a blinded test", "document.agreed.briefing:add_trial", trial=TRIAL),
    _row("finding.decide", "findings decided on", "document.edits:decide",
         ids=FINDINGS, decision=DECISION),
    _row("finding.mark", "a mark to be kept", "assist.survey:with_mark",
         x=PLACE, y=PLACE, radius_px=LENGTH),
    _row("finding.handle", "a handle of a face", "document.scale:move_handle",
         face_index=COUNT, name=TEXT, x=PLACE, y=PLACE),
    _row("finding.scale", "the scale", "document.scale:set_scale",
         mm_per_px=number("mm per px", 1e-6, 1e6)),
    _row("mend.take_back", "mends taken back", "assist.clean.taking_back:take_back", ids=FINDINGS),
    _row("mend.cut_free", "a finding cut free and mended", "tools.free:cut_finding_free",
         finding_id=COUNT),
    _row("mend.cut_area_free", "the area cut free and mended", "tools.free:cut_area_free"),
    _row("mend.cut_stroke_free", "a mend done again, cut free", "tools.free:cut_stroke_free",
         stroke="stroke"),
    _row("shape.new_layer", "a reshape layer", "document.reshapes:new_reshape"),
    _row("shape.mirror_at_face", "mirrored at the face", "document.reshapes:mirror_at_face",
         layer_id=LAYER),
    _row("shape.even_other", "the other side evened", "assist.shape.shape:even_other_side"),
    _row("shape.hold_region", "a region held", "assist.shape.shape:hold_region", region=REGION),
    _row("shape.hold_area", "the area held", "assist.shape.shape:hold_area"),
    _row("shape.clear_hold", "nothing held", "assist.shape.shape:clear_hold"),
    _row("shape.back_all", "all brought back", "assist.shape.shape:bring_back"),
    _row("shape.back_area", "the area brought back", "assist.shape.shape:bring_back_area"),
    _row("shape.back_region", "a region brought back", "assist.shape.shape:bring_back_region",
         region=REGION),
    _row("shape.straighten_background", "the background straightened",
         "assist.shape.shape:straighten_background"),
)  # fmt: skip
BY_ID = {row.id: row for row in EDITS}
BY_EDIT = {row.edit: row for row in EDITS}


def call_of(edit: Edit, *args: Any, **options: Any) -> Call | None:
    """What it is to apply an edit with arguments; None for one that is no operation."""
    name = f"{edit.__module__.removeprefix('lather.')}:{edit.__qualname__}"
    kind = BY_EDIT.get(name)
    if kind is None:
        return None
    bound = inspect.signature(edit).bind(None, *args, **options)
    call = Call(id=kind.id, arguments=kind.written(bound.arguments), again=kind.again)
    if kind.stroke:
        return replace(call, strokes=(bound.arguments[kind.stroke],))
    ids = call.arguments.get("ids") or call.arguments.get("finding_id")
    if ids is not None:
        call = replace(call, findings=tuple(ids) if isinstance(ids, list) else (ids,))
    return call
