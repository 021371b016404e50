"""Taking a tool on purpose: with it comes the stage in which it can be used."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.tools.stages import has_brush
from lather.tools.table import tool


def take(bench: Workbench, tool_id: str) -> None:
    """Take a tool; one that reshapes with a size of this face when first taken, and its stage. From
    a stage without a brush it goes back to the one worked in last."""
    if tool(tool_id).reshapes:
        bench.show_stage(Stage.SHAPE)
    elif not has_brush(bench.stage):
        bench.show_stage(bench.hands.worked_in)
    bench.hands.take_tool(tool_id)
    bench.start_hand()
