"""Commands on how the picture is looked at, and on the stage."""

from __future__ import annotations

from lather.actions.action import Action, Run, has_job
from lather.actions.looking.looks import Peek
from lather.actions.workbench import Workbench
from lather.assist import stages
from lather.core.rect import Rect
from lather.document.layers.layer import Stage
from lather.tools.stages import has_brush

ZOOM_STEP, CLOSE_ZOOM = 1.25, 1.0


def go_close(bench: Workbench, rect: Rect, least_zoom: float = CLOSE_ZOOM) -> None:
    """Centre the picture on a place, as close as it has to be seen, or closer."""
    if bench.geometry is not None and bench.geometry.zoom < least_zoom:
        bench.zoom_to(least_zoom)
    bench.centre_on(rect)


def pans(bench: Workbench) -> bool:
    """The pen moves the picture: its key is down, or the stage has no brush."""
    return bench.panning or not has_brush(bench.stage)


def _zoom(zoom: float) -> Run:
    return lambda bench: bench.zoom_to(zoom)


def _zoom_by(factor: float) -> Run:
    def run(bench: Workbench) -> None:
        if bench.geometry is not None:
            bench.zoom_to(bench.geometry.zoom * factor)

    return run


def _hold_pan(bench: Workbench) -> None:
    bench.panning = True
    bench.looks_changed.emit()


def _release_pan(bench: Workbench) -> None:
    bench.panning = False
    bench.looks_changed.emit()


def _peek(peek: Peek) -> Run:
    return lambda bench: bench.look(peek=peek)


def _switch(option: str) -> Run:
    return lambda bench: bench.settings.set(option, not bench.settings[option])


def _stage(stage: Stage) -> Run:
    return lambda bench: bench.go_to_stage(stage)


ACTIONS = (
    Action("view.hold_before", "Before (hold)", "The original, while the key is down.", "View",
           lambda bench: bench.look(before_held=True), enabled=has_job,
           release=lambda bench: bench.look(before_held=False)),
    Action("view.before", "Before", "Switch between the original and the retouch.", "View",
           lambda bench: bench.look(before=not bench.looks.before), "before",
           enabled=has_job, checked=lambda bench: bench.looks.before),
    Action("view.peek", "Peek (hold)", "The original in a ring around the pen, while the key is "
           "down.", "View", _peek(Peek.BEFORE), enabled=has_job, release=_peek(Peek.NONE)),
    Action("view.peek_delivery", "Peek at delivery size (hold)",
           "The picture as large as it will be delivered, in a ring around the pen.", "View",
           _peek(Peek.DELIVERY), enabled=has_job, release=_peek(Peek.NONE)),
    Action("view.all_findings", "All marks (hold)",
           "Every finding with its own shape; else only what is looked at now has one.", "View",
           lambda bench: bench.look(all_findings=True), enabled=has_job,
           release=lambda bench: bench.look(all_findings=False)),
    Action("view.split", "Split", "Original on one side, retouch on the other; drag the line.",
           "View", lambda bench: bench.look(split=not bench.looks.split), "split",
           enabled=has_job, checked=lambda bench: bench.looks.split),
    Action("view.mirror", "Mirror", "Look at the picture mirrored, to see it afresh.", "View",
           Workbench.mirror, "mirror", enabled=has_job,
           checked=lambda bench: bench.geometry is not None and bench.geometry.mirrored),
    Action("view.fit", "Fit", "The whole picture.", "View", Workbench.fit,
           enabled=has_job),
    Action("view.zoom_50", "50 %", "Half size.", "View", _zoom(0.5), enabled=has_job),
    Action("view.zoom_100", "100 %", "One screen pixel per picture pixel.", "View",
           _zoom(1.0), enabled=has_job),
    Action("view.zoom_200", "200 %", "Double size.", "View", _zoom(2.0),
           enabled=has_job),
    Action("view.zoom_delivery", "Delivery size",
           "As large as it will be delivered; finer details need no work.", "View",
           lambda bench: bench.zoom_to(bench.state.delivery_scale), enabled=has_job),
    Action("view.worklist", "Worklist", "Unfold the worklist, or fold it away.", "View",
           _switch("left_folded"), checked=lambda bench: not bench.settings["left_folded"]),
    Action("view.hand", "Tools and layers", "Unfold tools and layers, or fold them away.", "View",
           _switch("right_folded"), checked=lambda bench: not bench.settings["right_folded"]),
    Action("view.tool_names", "Names beside the tools",
           "Without them the tools are icons only and take less room.", "View",
           _switch("tool_names"), checked=lambda bench: bool(bench.settings["tool_names"])),
    Action("view.closer", "Closer", "Zoom in a step.", "View", _zoom_by(ZOOM_STEP),
           enabled=has_job, repeats=True),
    Action("view.farther", "Farther", "Zoom out a step.", "View", _zoom_by(1 / ZOOM_STEP),
           enabled=has_job, repeats=True),
    Action("view.hold_pan", "Move the picture (hold)", "Drag the picture while the key is down.",
           "View", _hold_pan, enabled=has_job, release=_release_pan),
)


def stage_actions() -> tuple[Action, ...]:
    """A command for each row of the stages."""
    return tuple(
        Action(f"stage.{stage.value}", f"Stage: {stages.title(stage)}", "Go to this stage.",
               "View", _stage(stage))
        for stage in stages.in_order()
    )  # fmt: skip
