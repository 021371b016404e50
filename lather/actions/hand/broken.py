"""A place whose rim an edge crosses: said after a mend, and cut free on demand."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lather.actions.work.aside import change_aside
from lather.actions.work.task import Offer
from lather.actions.workbench import Workbench
from lather.document.merge import same_work
from lather.document.state import JobState
from lather.tools.base import Outcome
from lather.tools.free import cut_area_free, cut_finding_free, cut_stroke_free

NAME = "Cut free and mend"


def warn_of_broken_rim(bench: Workbench, outcome: Outcome) -> None:
    """After a mend across an edge: what happened, and what can be done instead."""
    after = bench.state
    last = after.operations.last

    def instead() -> None:
        if bench.job is None or not same_work(bench.state, after):
            bench.say("The picture was changed meanwhile: nothing was cut free.")
            return
        bench.job.undo()
        assert last is not None
        _cut_free(bench, cut_stroke_free, stroke=last.strokes[0])

    bench.say(
        f"{outcome.broken_share:.0%} of this mend's rim crosses an edge or the border: it may "
        "smear. Copy along the edge at 10-20 %, or cut the spot free.",
        error=True, offer=Offer("Cut it free", instead, of=after),
    )  # fmt: skip


def cut_free(bench: Workbench) -> None:
    """The area, or the finding looked at: copied along its broken rim, then mended."""
    finding = bench.walk.current(bench.state.findings)
    if bench.state.area is not None:
        _cut_free(bench, cut_area_free)
    elif finding is not None:
        _cut_free(bench, cut_finding_free, finding_id=finding.id)


def _cut_free(bench: Workbench, edit: Callable[..., JobState], **arguments: Any) -> None:
    change_aside(bench, NAME, edit, what="copying along the broken rim", **arguments)
