"""A place whose rim an edge crosses: said after a mend, and cut free on demand."""

from __future__ import annotations

from lather.actions.work.aside import change_aside
from lather.actions.work.task import Offer
from lather.actions.workbench import Workbench
from lather.core.area.place import Place
from lather.document import edits
from lather.document.findings import FindingState
from lather.document.merge import same_work
from lather.document.state import JobState
from lather.tools.base import Outcome
from lather.tools.free import cut_free_at, place_of_area, place_of_finding

NAME = "Cut free and mend"


def warn_of_broken_rim(bench: Workbench, outcome: Outcome) -> None:
    """After a mend across an edge: what happened, and what can be done instead."""
    place, after = outcome.broken, bench.state
    assert place is not None

    def instead() -> None:
        if bench.job is None or not same_work(bench.state, after):
            bench.say("The picture was changed meanwhile: nothing was cut free.")
            return
        bench.job.undo()
        _cut_free(bench, place, ())

    bench.say(
        f"{outcome.broken_share:.0%} of this mend's rim crosses an edge or the border: it may "
        "smear. Copy along the edge at 10-20 %, or cut the spot free.",
        error=True, offer=Offer("Cut it free", instead, of=after),
    )  # fmt: skip


def cut_free(bench: Workbench) -> None:
    """The area, or the finding looked at: copied along its broken rim, then mended."""
    finding = bench.walk.current(bench.state.findings)
    if bench.state.area is not None:
        _cut_free(bench, place_of_area(bench.state), ())
    elif finding is not None:
        _cut_free(bench, place_of_finding(bench.state, finding), (finding.id,))


def _cut_free(bench: Workbench, place: Place, finding_ids: tuple[int, ...]) -> None:
    def edit(state: JobState, _: object) -> JobState:
        mended, layer_id = cut_free_at(state, place)
        return edits.decide(mended, finding_ids, FindingState.DONE, by=layer_id)

    change_aside(bench, NAME, edit, "copying along the broken rim")
