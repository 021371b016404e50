"""Commands on the area: what the tools are limited to."""

from __future__ import annotations

from collections.abc import Callable

from lather.actions.table import Action, Run
from lather.actions.workbench import Workbench
from lather.core.work import CancelToken, Progress
from lather.document import areas
from lather.document.job import JobState
from lather.document.layers import PhotoLayer

STEPS_PER_SIDE = 1000  # a step of growing or feathering is the picture's long side by this


def has_area(bench: Workbench) -> bool:
    return bench.job is not None and bench.state.area is not None


def step_px(bench: Workbench) -> float:
    """How far one step moves or softens the rim: in proportion to the picture."""
    photo = bench.state.photo
    return max(1.0, round(max(photo.width, photo.height) / STEPS_PER_SIDE))


def _aside(name: str, edit: Callable[[JobState], JobState]) -> Callable[[Workbench], None]:
    """A command that works through all of the area: not on the interface thread."""

    def run(bench: Workbench) -> None:
        job, before = bench.open_job, bench.state

        def work(progress: Progress, cancel: CancelToken) -> JobState:
            progress(0.0, name.lower())
            after = edit(before)
            cancel.check()
            return after

        def done(after: JobState) -> None:
            if bench.job is job and bench.state is before:
                job.change(name, after)

        bench.run_task(name, work, done)

    return run


def _grow(steps: int) -> Run:
    name = "Grow area" if steps > 0 else "Shrink area"
    return lambda bench: _aside(name, lambda s: areas.grow(s, steps * step_px(bench)))(bench)


def _feather(bench: Workbench) -> None:
    width_px = 4 * step_px(bench)
    _aside("Feather area", lambda state: areas.feather(state, width_px))(bench)


def _can_be_from_layer(bench: Workbench) -> bool:
    return bench.job is not None and not isinstance(bench.state.active, PhotoLayer)


def _has_mask(bench: Workbench) -> bool:
    return bench.job is not None and bench.state.active.mask is not None


ACTIONS = (
    Action("area.clear", "No area", "The tools work everywhere again.", "Area",
           lambda bench: bench.change("No area", areas.set_area, None), ("Alt+X",),
           enabled=has_area),
    Action("area.invert", "Invert area", "Inside out.", "Area",
           lambda bench: bench.change("Invert area", areas.invert), ("Alt+I",), enabled=has_area),
    Action("area.grow", "Grow area a step", "Its rim moves outwards.", "Area", _grow(+1),
           ("Alt+G",), enabled=has_area),
    Action("area.shrink", "Shrink area a step", "Its rim moves inwards.", "Area", _grow(-1),
           ("Alt+B",), enabled=has_area),
    Action("area.feather", "Feather area", "Its rim fades softly; again for softer.", "Area",
           _feather, ("Alt+V",), enabled=has_area),
    Action("area.from_layer", "Area from layer", "Where the active layer has pixels.", "Area",
           lambda bench: bench.change("Area from layer", areas.from_layer, bench.state.active_id),
           enabled=_can_be_from_layer),
    Action("area.from_mask", "Area from mask", "Where the active layer's mask lets it show.",
           "Area",
           lambda bench: bench.change("Area from mask", areas.from_mask, bench.state.active_id),
           enabled=_has_mask),
    Action("area.to_mask", "Area to mask", "The active layer shows only where the area is.",
           "Area",
           lambda bench: bench.change("Area to mask", areas.to_mask, bench.state.active_id),
           enabled=lambda bench: has_area(bench) and _can_be_from_layer(bench)),
)
