"""What each stage puts in the hand: its tools in their order, and the one taken up first."""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.layers.layer import Stage

COMMON = ("outline", "grow_area", "erase", "paint_back", "mark")  # of every stage
MOST_OWN = 10  # of a stage: what a glance takes in
MENDING = (
    "mend_spot", "mend_from_source", "copy_from_source", "graft", "lighten", "darken",
    "paint_colour", "correct_region",
)  # fmt: skip
EVENING = ("paint_colour", "copy_from_source", "graft", "correct_region")
RESHAPING = (
    "push", "gather", "swell", "turn", "ease_back", "calm", "hold", "feature", "warp_area",
    "straighten",
)  # fmt: skip
LAST_TOUCHES = ("mend_spot", "copy_from_source", "lighten", "darken", "paint_colour")


@dataclass(frozen=True)
class StageRow:
    """Ids of the tool table.

    Attributes
    ----------
    first : in the hand when the stage is gone to for the first time.
    tools : its own, in order; those that all stages have (`COMMON`) come beside them. A stage
        without any has no use for a brush: what is in the hand waits.
    """

    first: str = ""
    tools: tuple[str, ...] = ()


# By the stage's value in files; `assist/stages.py` has the order of the stages. Sculpt, Features
# and Hair have the tools of Clean until they have their own.
STAGES: dict[str, StageRow] = {
    "brief": StageRow(),
    "clean": StageRow("mend_spot", MENDING),
    "even": StageRow("paint_colour", EVENING),
    "sculpt": StageRow("lighten", MENDING),
    "features": StageRow("paint_colour", MENDING),
    "hair": StageRow("copy_from_source", MENDING),
    "shape": StageRow("push", RESHAPING),
    "finish": StageRow("paint_back", LAST_TOUCHES),
    "deliver": StageRow(),
}
_OTHER = StageRow("mend_spot", MENDING)  # a stage of a newer Lather


def row(stage: Stage) -> StageRow:
    return STAGES.get(stage.value, _OTHER)


def has_brush(stage: Stage) -> bool:
    """False for one in which nothing is painted."""
    return bool(row(stage).tools)


def offered(stage: Stage) -> tuple[str, ...]:
    """The stage's own tools, and those of every stage."""
    return (*row(stage).tools, *COMMON) if has_brush(stage) else ()
