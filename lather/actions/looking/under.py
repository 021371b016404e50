"""What lies under a place of the picture, and the commands that are about it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.actions.findings.walking import look_at
from lather.actions.workbench import Workbench
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.document.layers.layer import Layer
from lather.document.layers.photo import PhotoLayer
from lather.document.planes import read_plane
from lather.document.tree import walk
from lather.render.space import painted_space

LEAST_REACH_PX = 6.0  # around the middle of a small finding, at which it counts as under the pen
OF_FINDING = ("finding.mend", "finding.keep", "finding.skip", "finding.reopen", "mend.cut_free",
              "finding.other_source")  # fmt: skip
OF_AREA = ("area.clear", "area.invert", "area.grow", "area.shrink", "area.feather",
           "area.to_mask")  # fmt: skip
OF_LAYER = ("layer.visible", "layer.lock", "layer.rename", "layer.duplicate", "layer.delete",
            "layer.limits", "mask.add", "mask.add_hidden", "mask.paint", "mask.remove",
            "area.from_layer")  # fmt: skip
OF_PICTURE = ("view.before", "view.split", "view.fit", "view.zoom_100", "tool.mark")


@dataclass(frozen=True)
class Under:
    """A thing under the pen: what it is called, and the ids of the commands about it."""

    title: str
    commands: tuple[str, ...]


def at_place(bench: Workbench, x: float, y: float) -> list[Under]:
    """What lies at a place of the picture as it is seen, nearest to the eye first.

    The finding becomes the one that is looked at, and the layer the active one, so that the
    commands are about them.
    """
    found = []
    finding = _finding_at(bench, x, y)
    if finding is not None:
        bench.walk.go_to(finding.id)  # it is seen already: the picture stays where it is
        found.append(Under(finding.kind.title, OF_FINDING))
    if _is_in_area(bench, x, y):
        found.append(Under("The area", OF_AREA))
    layer = _layer_at(bench, x, y)
    if layer is not None:
        bench.select_layer(layer.id)
        found.append(Under(f"Layer '{layer.name}'", OF_LAYER))
    return [*found, Under("The picture", OF_PICTURE)]


def of_finding(bench: Workbench, finding: Finding) -> list[Under]:
    """The commands about a finding of the list."""
    look_at(bench, finding)
    return [Under(finding.kind.title, OF_FINDING)]


def _finding_at(bench: Workbench, x: float, y: float) -> Finding | None:
    """The smallest finding of the stage there."""
    x, y = bench.photo_sight.under(x, y)
    findings = bench.state.findings.of_stage(bench.stage.value)
    there = [f for f in findings
             if f.holds(x, y) or (f.x - x) ** 2 + (f.y - y) ** 2 < LEAST_REACH_PX**2]  # fmt: skip
    return min(there, key=lambda finding: finding.reach_px, default=None)


def _is_in_area(bench: Workbench, x: float, y: float) -> bool:
    area = bench.state.area
    x, y = bench.photo_sight.under(x, y)
    if area is None or not bench.state.photo.rect.contains_point(x, y):
        return False
    return bool(read_plane(area, Rect(int(x), int(y), int(x) + 1, int(y) + 1))[0, 0] >= 0.5)


def _layer_at(bench: Workbench, x: float, y: float) -> Layer | None:
    """The topmost layer that has pixels of its own there, each where it is seen."""
    state, seen = bench.state, np.array([[x, y]], dtype=np.float64)
    for layer in reversed([*walk(state.layers)]):
        if isinstance(layer, PhotoLayer) or not layer.is_shown or not layer.planes:
            continue
        own_x, own_y = painted_space(state, layer.id).from_seen(seen)[0]
        if not state.photo.rect.contains_point(own_x, own_y):
            continue
        pixel = Rect(int(own_x), int(own_y), int(own_x) + 1, int(own_y) + 1)
        for tiles in layer.planes.values():
            sample = tiles.read(layer.samples_rect(pixel)).reshape(-1)
            if sample.size and (sample[-1] > 0 if tiles.channels == 4
                                else sample[0] != tiles.fill):  # fmt: skip
                return layer
    return None
