"""Commands of the Shape stage: how the tools work, and what is done to a reshape as a whole."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from lather.actions.action import Action, Run, When, has_job
from lather.actions.findings.geometry import has_regions
from lather.actions.layers.area import has_area
from lather.actions.work.aside import change_aside
from lather.actions.work.proposing import propose
from lather.actions.workbench import Workbench
from lather.assist.request import Request
from lather.document.layers.reshape import ReshapeLayer
from lather.document.reshapes import mirror_at_face, new_reshape

SPEED_STEP = 1.25
SLOWEST_MM_S, FASTEST_MM_S = 0.2, 30.0
REGION_HELP = "The region is the one that the region lens shows."


def set_shape(bench: Workbench, **changes: Any) -> None:
    """How all reshape tools work."""
    if "speed_mm_s" in changes:
        speed = min(max(changes["speed_mm_s"], SLOWEST_MM_S), FASTEST_MM_S)
        changes["speed_mm_s"] = speed
    bench.hands.set_shape(replace(bench.hand.shape, **changes))


def _turn(name: str) -> Run:
    return lambda bench: set_shape(bench, **{name: not getattr(bench.hand.shape, name)})


def _speed(steps: int) -> Run:
    return lambda bench: set_shape(
        bench, speed_mm_s=bench.hand.shape.speed_mm_s * SPEED_STEP**steps
    )


def _even_other(bench: Workbench) -> None:
    from lather.assist.shape.shape import even_other_side

    change_aside(bench, "Even the other side", even_other_side)


def _hold_region(bench: Workbench) -> None:
    from lather.assist.shape.shape import hold_region

    region = bench.hand.region
    change_aside(bench, f"Hold {region.label}", hold_region, region=region)


def _hold_area(bench: Workbench) -> None:
    from lather.assist.shape.shape import hold_area

    change_aside(bench, "Hold the area", hold_area)


def _clear_hold(bench: Workbench) -> None:
    from lather.assist.shape.shape import clear_hold

    bench.change("Clear the hold", clear_hold)


def _back(bench: Workbench) -> None:
    from lather.assist.shape.shape import bring_back

    bench.change("Bring all back", bring_back)


def _back_area(bench: Workbench) -> None:
    from lather.assist.shape.shape import bring_back_area

    change_aside(bench, "Bring the area back", bring_back_area)


def _back_region(bench: Workbench) -> None:
    from lather.assist.shape.shape import bring_back_region

    region = bench.hand.region
    change_aside(bench, f"Bring {region.label} back", bring_back_region, region=region)


def _straighten(bench: Workbench) -> None:
    from lather.assist.shape.shape import straighten_background

    change_aside(bench, "Straighten the background", straighten_background)


def _grain(bench: Workbench) -> None:
    propose(bench, "Measuring the grain", Request("shape.grain"))


def _mirror_at_face(bench: Workbench) -> None:
    bench.change("Mirror at the face", mirror_at_face, bench.state.active_id)


def _is_mirrored_at_a_line(bench: Workbench) -> bool:
    layer = bench.state.active
    return isinstance(layer, ReshapeLayer) and layer.middle is not None


_has_reshape = has_job & When.that(
    lambda bench: any(isinstance(layer, ReshapeLayer) for layer in bench.state.layers),
    "nothing was reshaped yet: push something first ({key:tool.push})",
)
_has_line = has_job & When.that(
    _is_mirrored_at_a_line, "no middle line was drawn on the active layer: it mirrors at the face"
)


ACTIONS = (
    Action("shape.mirrored", "Mirror strokes",
           "The other half of the face does the same, in proportion.", "Shape",
           _turn("mirrored"), "mirror", enabled=has_job,
           checked=lambda bench: bench.hand.shape.mirrored),
    Action("shape.keep_straight", "Keep the background straight",
           "Straight lines behind the person stay straight, whatever is pushed beside them.",
           "Shape", _turn("keeps_straight"), "straight", enabled=has_job,
           checked=lambda bench: bench.hand.shape.keeps_straight),
    Action("shape.mirror_at_face", "Mirror at the face again",
           "Forget the middle line that was drawn by hand.", "Shape", _mirror_at_face,
           enabled=_has_line),
    Action("shape.slower", "Slower", "The skin goes more slowly while the pen rests.", "Shape",
           _speed(-1), enabled=has_job, repeats=True),
    Action("shape.faster", "Faster", "The skin goes faster while the pen rests.", "Shape",
           _speed(+1), enabled=has_job, repeats=True),
    Action("shape.even_other", "Even the other side",
           "The half that was moved less gets the mirror image of the other one.", "Shape",
           _even_other, enabled=_has_reshape),
    Action("shape.hold_region", "Hold the region",
           f"What belongs to a region does not move. {REGION_HELP}", "Shape",
           _hold_region, enabled=has_regions),
    Action("shape.hold_area", "Hold the area", "What lies in the area does not move.", "Shape",
           _hold_area, enabled=has_area),
    Action("shape.clear_hold", "Clear the hold", "All may move again.", "Shape", _clear_hold,
           enabled=_has_reshape),
    Action("shape.back_area", "Bring the area back",
           "What lies in the area goes back to where the photo has it.", "Shape",
           _back_area, enabled=has_area & _has_reshape),
    Action("shape.back_region", "Bring the region back",
           f"A region goes back to where the photo has it. {REGION_HELP}", "Shape",
           _back_region, enabled=has_regions & _has_reshape),
    Action("shape.back_all", "Bring all back",
           "The layer in work moves nothing any more; what is held stays held.", "Shape", _back,
           enabled=_has_reshape),
    Action("shape.straighten_background", "Straighten the background",
           "Take out of what was moved whatever bends straight lines behind the person.",
           "Shape", _straighten, enabled=_has_reshape),
    Action("shape.grain", "Match the grain",
           "Propose grain where skin was moved, as much as it lost.", "Shape", _grain,
           enabled=_has_reshape),
    Action("shape.new_layer", "New reshape layer",
           "Above all others; it moves what they show.", "Shape",
           lambda bench: bench.change("New reshape layer", new_reshape),
           "plus", enabled=has_job),
)  # fmt: skip
