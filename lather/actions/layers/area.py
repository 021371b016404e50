"""Commands on the area: what the tools are limited to."""

from __future__ import annotations

from collections.abc import Callable

from lather.actions.action import Action, Run, When, has_job
from lather.actions.layers.layer import above_photo, has_mask
from lather.actions.work.aside import change_aside
from lather.actions.workbench import Workbench
from lather.assist import masks
from lather.document import areas
from lather.document.state import JobState

STEPS_PER_SIDE = 1000  # a step of growing or feathering is the picture's long side by this


has_area = has_job & When.that(
    lambda bench: bench.state.area is not None,
    "there is no area: outline one ({key:tool.outline}) or grow one ({key:tool.grow_area})",
)


def step_px(bench: Workbench) -> float:
    """How far one step moves or softens the rim: in proportion to the picture."""
    photo = bench.state.photo
    return max(1.0, round(max(photo.width, photo.height) / STEPS_PER_SIDE))


def _grow(steps: int) -> Run:
    name = "Grow area" if steps > 0 else "Shrink area"
    return lambda bench: change_aside(bench, name, areas.grow, by_px=steps * step_px(bench))


def _feather(bench: Workbench) -> None:
    change_aside(bench, "Feather area", areas.feather, width_px=4 * step_px(bench))


def _with_active(name: str, made: Callable[[JobState, int], JobState]) -> Run:
    def run(bench: Workbench) -> None:
        change_aside(bench, name, made, layer_id=bench.state.active_id)

    return run


ACTIONS = (
    Action("area.clear", "No area", "The tools work everywhere again.", "Area",
           lambda bench: bench.change("No area", areas.no_area),
           enabled=has_area),
    Action("area.invert", "Invert area", "Inside out.", "Area",
           lambda bench: change_aside(bench, "Invert area", areas.invert),
           enabled=has_area),
    Action("area.grow", "Grow area a step", "Its rim moves outwards.", "Area", _grow(+1),
           enabled=has_area, repeats=True),
    Action("area.shrink", "Shrink area a step", "Its rim moves inwards.", "Area", _grow(-1),
           enabled=has_area, repeats=True),
    Action("area.feather", "Feather area", "Its rim fades softly; again for softer.", "Area",
           _feather, enabled=has_area),
    Action("area.from_layer", "Area from layer", "Where the active layer has pixels.", "Area",
           _with_active("Area from layer", areas.from_layer),
           enabled=above_photo),
    Action("area.from_mask", "Area from mask", "Where the active layer's mask lets it show.",
           "Area",
           _with_active("Area from mask", areas.from_mask),
           enabled=has_mask),
    Action("area.to_mask", "Area to mask", "The active layer shows only where the area is.",
           "Area", _with_active("Area to mask", masks.from_area),
           enabled=has_area & above_photo),
)
