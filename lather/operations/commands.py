"""What every command does to the job: the operations that it leads to, or why it leads to none."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lather.assist.request import assistants
from lather.document.agreed.style import Style
from lather.document.layers.table import COMPUTED
from lather.operations.assistants import PREFIX
from lather.operations.strokes import STROKES

_ANY_ASSISTANT = tuple(f"{PREFIX}{name}" for name in assistants())


@dataclass(frozen=True)
class Does:
    """What a command does to the job.

    Attributes
    ----------
    leads_to : ids of the operations, any of which may follow.
    why_none : why nothing of it is done again, if it leads to none.
    """

    leads_to: tuple[str, ...] = ()
    why_none: str = ""


_NONE = {
    "it changes how the picture is looked at, not the picture": (
        "view.handles view.next_region view.next_person view.hold_before view.before view.peek "
        "view.peek_delivery view.all_findings view.split view.mirror view.fit view.zoom_50 "
        "view.zoom_100 view.zoom_200 view.zoom_delivery view.closer view.farther view.hold_pan "
        "lens.tone "
        "lens.texture lens.black_white lens.blotch lens.shine lens.redness lens.dark lens.change "
        "lens.clipping lens.moved lens.stretched lens.mask lens.regions lens.clear lens.less_red "
        "lens.more_red lens.blotch_of mask.alone layer.limits layer.card"
    ),
    "it changes what is in the hand; the strokes are operations": (
        "brush.more brush.smaller brush.larger brush.softer brush.harder brush.less_flow "
        "brush.more_flow brush.mode brush.next_preset brush.save_preset brush.delete_preset "
        "brush.colour brush.hold_inverted brush.weak brush.pressure_size brush.pressure_opacity "
        "brush.pressure_flow brush.build_up source.pick source.disc source.goes source.reads "
        "source.mirror source.turn_left source.turn_right source.smaller source.larger "
        "source.straight shape.mirrored shape.keep_straight shape.slower shape.faster mask.paint"
    ),
    "it reads or writes files": (
        "job.open job.open_demo job.recover job.save job.save_as job.link_photo "
        "job.export_layers job.deliver brief.save"
    ),
    "it belongs to the window": (
        "app.preferences app.full_screen app.quit help.search help.shortcuts edit.history "
        "view.worklist view.hand view.tool_names"
    ),
    "it goes among the states that there are: what was done is what had been done of them": (
        "edit.undo edit.redo"
    ),
    "it goes somewhere else": (
        "finding.next finding.previous finding.next_decided finding.previous_decided check.show "
        "check.next check.previous stage.brief stage.clean stage.even stage.sculpt stage.features "
        "stage.hair stage.shape stage.finish stage.deliver"
    ),
    "it measures, and changes nothing": "check.all",
    "it drops what was proposed": "proposal.leave",
}
_LEADS_TO: Mapping[str, tuple[str, ...]] = {
    **{f"layer.add_{kind.KIND}": ("layer.add",) for kind in COMPUTED if kind.BY_HAND},
    **{stroke.id: (stroke.id,) for stroke in STROKES},
    **{f"brief.{style.value}": ("brief.style",) for style in Style},
    **{f"even.{name}": (f"{PREFIX}even.{name}",)
       for name in ("shine", "redness", "even_out", "match")},
    **{f"finding.{name}": ("finding.decide",) for name in ("keep", "skip", "reopen")},
    "brief.open": ("brief.open",), "brief.clear": ("brief.set",),
    "finding.survey": ("finding.survey",), "finding.scale": ("finding.scale",),
    "finding.mend": _ANY_ASSISTANT, "finding.mend_all": _ANY_ASSISTANT,
    "finding.other_source": (f"{PREFIX}clean.mends",),
    "proposal.mends": (f"{PREFIX}clean.mends",),
    "proposal.accept": _ANY_ASSISTANT, "proposal.paint_in": _ANY_ASSISTANT,
    "even.reference": ("even.reference",), "even.forget_reference": ("even.forget_reference",),
    "mend.cut_free": ("mend.cut_free", "mend.cut_area_free"),
    "shape.grain": (f"{PREFIX}shape.grain",),
    "area.shrink": ("area.grow",), "mask.add_hidden": ("mask.add",),
    "mask.from_colours": ("mask.add", "tool.pick"), "check.lever": ("layer.strength",),
    **{name: (name,) for name in (
        "shape.mirror_at_face", "shape.even_other", "shape.hold_region", "shape.hold_area",
        "shape.clear_hold", "shape.back_area", "shape.back_region", "shape.back_all",
        "shape.straighten_background", "shape.new_layer", "area.clear", "area.invert",
        "area.grow", "area.feather", "area.from_layer", "area.from_mask", "area.to_mask",
        "layer.new", "layer.duplicate", "layer.delete", "layer.rename", "layer.visible",
        "layer.lock", "layer.raise", "layer.lower", "layer.group", "layer.ungroup",
        "layer.split_to_layers", "layer.merge_copy", "mask.add", "mask.invert", "mask.switch",
        "mask.softer", "mask.harder", "mask.from_region", "mask.from_lightness",
        "mask.from_change", "mask.remove", "check.blind",
    )},
}  # fmt: skip
COMMANDS: Mapping[str, Does] = {
    **{name: Does(why_none=why) for why, names in _NONE.items() for name in names.split()},
    **{name: Does(leads_to) for name, leads_to in _LEADS_TO.items()},
}

# What is done without a command: dragged, typed or chosen where it stands; or by the command line.
WITHOUT_COMMAND: Mapping[str, str] = {
    "layer.strength": "the bar of a layer's row", "layer.mode": "a layer's row",
    "layer.limits": "the layer's card", "layer.parameter": "the layer's card",
    "layer.pick": "a region, on the card of ranges", "layer.move": "dragging a layer's row",
    "layer.move_into": "dragging a layer's row", "layer.add_set": "scripts",
    "brief.set": "the brief's page", "finding.handle": "dragging a handle",
    "finding.mark": "the command line", "mend.cut_stroke_free": "what is offered after a mend",
    "mend.take_back": "a run that is held to its brief",
    "stage.look": "first going to a stage",
    **{f"{PREFIX}{name}": "the command line" for name in assistants() if name.endswith(".all")},
}
