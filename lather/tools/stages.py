"""Which tool a stage begins with."""

from __future__ import annotations

from lather.document.layers.layer import Stage

_FIRST = {
    Stage.BRIEF: "mark",
    Stage.CLEAN: "mend_spot",
    Stage.EVEN: "paint_colour",
    Stage.SCULPT: "lighten",
    Stage.FEATURES: "paint_colour",
    Stage.HAIR: "copy_from_source",
    Stage.SHAPE: "push",
    Stage.FINISH: "paint_back",
    Stage.DELIVER: "paint_back",
}


def first_tool(stage: Stage) -> str:
    """The id of the tool that is in the hand when a stage is gone to for the first time."""
    return _FIRST.get(stage, "mend_spot")
