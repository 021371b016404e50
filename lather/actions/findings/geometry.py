"""Commands on what the survey goes by: face handles, scale, regions."""

from __future__ import annotations

from lather.actions.action import Action, When, has_job
from lather.actions.findings.face import start_measuring
from lather.actions.workbench import Workbench
from lather.core.survey.regions.region import REGIONS_AND_PARTS

_has_faces = has_job & When.that(
    lambda bench: bool(bench.state.findings.faces),
    "no face was measured: survey the portrait first",
)
has_regions = has_job & When.that(
    lambda bench: bool(bench.state.regions.masks),
    "where skin, hair and eyes are was not measured: survey the portrait first",
)


def _next_region(bench: Workbench) -> None:
    at = REGIONS_AND_PARTS.index(bench.hand.region)
    bench.hands.set_region(REGIONS_AND_PARTS[(at + 1) % len(REGIONS_AND_PARTS)])
    bench.look(lens="regions")


ACTIONS = (
    Action("view.handles", "Face handles",
           "Show the eight points of the face that the survey goes by; drag them where they "
           "belong.", "View", lambda bench: bench.look(handles=not bench.looks.handles),
           "handles", enabled=_has_faces, checked=lambda bench: bench.looks.handles),
    Action("view.next_region", "Next region",
           "The region lens shows the next region, then the parts of the skin.", "View",
           _next_region, enabled=has_regions, repeats=True),
    Action("finding.scale", "Set the scale…",
           "Drag along something whose length you know: for body details and profiles.",
           "Finding", start_measuring, enabled=has_job),
)  # fmt: skip
