"""What each stage puts in the hand: its tools in their order, and the one taken up first."""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.layers.layer import Stage

BY_HAND = (
    "mend_spot", "mend_from_source", "copy_from_source", "graft", "outline", "grow_area", "mark",
    "correct_region", "lighten", "darken", "paint_colour", "erase", "paint_back",
)  # fmt: skip
RESHAPING = (
    "outline", "grow_area", "push", "gather", "swell", "turn", "ease_back", "calm", "hold",
    "feature", "warp_area", "straighten",
)  # fmt: skip


@dataclass(frozen=True)
class StageRow:
    """Ids of the tool table.

    Attributes
    ----------
    first : in the hand when the stage is gone to for the first time.
    tools : that are offered, in order.
    """

    first: str
    tools: tuple[str, ...] = BY_HAND


# By the stage's value in files; `assist/stages.py` has the order of the stages.
STAGES: dict[str, StageRow] = {
    "brief": StageRow("mark"),
    "clean": StageRow("mend_spot"),
    "even": StageRow("paint_colour"),
    "sculpt": StageRow("lighten"),
    "features": StageRow("paint_colour"),
    "hair": StageRow("copy_from_source"),
    "shape": StageRow("push", RESHAPING),
    "finish": StageRow("paint_back"),
    "deliver": StageRow("paint_back"),
}
_OTHER = StageRow("mend_spot")  # a stage of a newer Lather


def row(stage: Stage) -> StageRow:
    return STAGES.get(stage.value, _OTHER)


def first_tool(stage: Stage) -> str:
    """The id of the tool that is in the hand when a stage is gone to for the first time."""
    return row(stage).first
