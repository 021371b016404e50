"""Commands on what the survey goes by: face handles, scale, regions."""

from __future__ import annotations

from lather.actions.action import Action, has_job
from lather.actions.face import start_measuring
from lather.actions.workbench import Workbench
from lather.core.survey.regions.region import REGIONS_AND_PARTS


def _has_faces(bench: Workbench) -> bool:
    return bench.job is not None and bool(bench.state.findings.faces)


def has_regions(bench: Workbench) -> bool:
    return bench.job is not None and bool(bench.state.regions.masks)


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
           _next_region, enabled=has_regions),
    Action("finding.scale", "Set the scale…",
           "Drag along something whose length you know: for body details and profiles.",
           "Finding", start_measuring, enabled=has_job),
)  # fmt: skip
