"""The command that cuts a place free whose rim an edge crosses."""

from __future__ import annotations

from lather.actions.action import Action, When, has_job
from lather.actions.hand.broken import cut_free
from lather.actions.workbench import Workbench


def _is_aimed(bench: Workbench) -> bool:
    return bench.state.area is not None or bench.walk.current(bench.state.findings) is not None


can_be_cut_free = has_job & When.that(
    _is_aimed,
    "there is neither an area nor a finding that is looked at: {key:finding.next} goes to one",
)


ACTIONS = (
    Action("mend.cut_free", "Cut free and mend",
           "The area, or the finding looked at: copy along the part of its rim that an edge "
           "crosses, then mend the rest.", "Finding", cut_free,
           enabled=can_be_cut_free),
)  # fmt: skip
