"""Random moves of a retoucher, through the simulated pen: what crash and soak have done."""

from __future__ import annotations

import random
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from lather.document.layers.parameters import Spec
    from lather.ui.app import App
    from lather.ui.simulated_pen import SimulatedPen


MOST_COMPUTED = 12  # layers up to which more are added


def stroke(
    app: App, pen: SimulatedPen, chance: random.Random, tool_id: str, size_px: float
) -> None:
    from lather.core.brush.stroke import PenSample

    photo = app.bench.state.photo
    app.bench.hands.take_tool(tool_id)
    app.bench.hands.set_brush(size_px=size_px, opacity=1.0, flow=0.8)
    x, y = chance.uniform(80, photo.width - 80), chance.uniform(80, photo.height - 80)
    dx, dy = chance.uniform(-60, 60), chance.uniform(-60, 60)
    n = 1 if tool_id == "mend_spot" else 8
    pen.stroke([PenSample(0.01 * i, x + dx * i / 8, y + dy * i / 8, 0.9) for i in range(n)])
    pen.wait()


def paint(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    stroke(app, pen, chance, "paint_colour", chance.uniform(4, 90))


def mend(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    stroke(app, pen, chance, "mend_spot", chance.uniform(8, 40))


def erase(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    from lather.document.layers.pixels import PixelLayer

    if isinstance(app.bench.state.active, PixelLayer):
        stroke(app, pen, chance, "erase", 30)


def undo(app: App, *_: object) -> None:
    app.bench.undo()


def redo(app: App, *_: object) -> None:
    app.bench.redo()


def layer(app: App, *_: object) -> None:
    from lather.document import edits

    app.bench.change("New layer", edits.add_pixel_layer)


def mask(app: App, *_: object) -> None:
    from lather.document import edits
    from lather.document.layers.photo import PhotoLayer

    active = app.bench.state.active
    if not isinstance(active, PhotoLayer) and active.mask is None:
        app.bench.change("Add mask", edits.add_mask, active.id)


def drag(app: App, pen: SimulatedPen,  # noqa: ARG001
          chance: random.Random) -> None:
    """A strength slider being dragged: many changes, one step."""
    from lather.document import edits
    from lather.document.layers.photo import PhotoLayer

    active = app.bench.state.active
    if not isinstance(active, PhotoLayer):
        gesture = object()
        for _ in range(6):
            app.bench.change(
                "Strength", edits.set_strength, active.id, chance.random(), gesture=gesture
            )


def compute(app: App, pen: SimulatedPen,  # noqa: ARG001
            chance: random.Random) -> None:
    """A layer with parameters, another value of one of the active one's, or other limits."""
    from lather.core.survey.regions.region import Region
    from lather.document import edits
    from lather.document.layers.computed import ComputedLayer
    from lather.document.layers.limits import Limits, Span
    from lather.document.layers.table import COMPUTED

    active = app.bench.state.active
    if not isinstance(active, ComputedLayer) or chance.random() < 0.3:
        if len(app.bench.state.layers) < MOST_COMPUTED:
            app.bench.change("Add", edits.add_computed, chance.choice(COMPUTED))
        return
    if not active.BLENDS:
        return
    if chance.random() < 0.2:
        limits = Limits(Span(low_l=chance.uniform(0, 60)), (Region.SKIN,))
        app.bench.change("Limits", edits.set_limits, active.id, limits)
        return
    name, spec = chance.choice(list(active.TAKES.specs().items()))
    value = _value_of(spec, chance)
    app.bench.change("Set", edits.set_parameter, active.id, name, value, gesture=object())


def _value_of(spec: Spec, chance: random.Random) -> Any:
    """Any that it takes; lengths short enough to be quick."""
    from lather.document.layers.parameters import Choice, Number, Rows

    if isinstance(spec, Number):
        return chance.uniform(spec.low, min(spec.high, spec.low + 6))
    if isinstance(spec, Choice):
        return chance.choice(spec.options)
    if isinstance(spec, Rows):
        return [{name: _value_of(inner, chance) for name, inner in spec.row.specs().items()}]
    return ((0.0, chance.random()), (1.0, 1.0))


def light(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    stroke(app, pen, chance, chance.choice(("lighten", "darken")), chance.uniform(20, 90))


def reshape(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    stroke(app, pen, chance, chance.choice(("push", "hold")), chance.uniform(60, 200))


def area(app: App, pen: SimulatedPen,  # noqa: ARG001
         chance: random.Random) -> None:
    """An area somewhere, inside out, or none."""
    import numpy as np

    from lather.core.area.combine import Combine
    from lather.core.rect import Rect
    from lather.document import areas

    bench = app.bench
    photo = bench.state.photo
    if bench.state.area is not None and chance.random() < 0.6:
        bench.change("No area", areas.set_area, None)
    elif bench.state.area is not None:
        bench.change("Invert area", areas.invert)
    else:
        width, height = chance.randint(8, photo.width // 2), chance.randint(8, photo.height // 2)
        x, y = chance.randint(0, photo.width - width), chance.randint(0, photo.height - height)
        whole = np.full((height, width), chance.choice((1.0, 0.5)), np.float32)
        rect = Rect(x, y, x + width, y + height)
        bench.change("Outline area", areas.outline, rect, whole, Combine.NEW)


def graft(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    """From the middle of the area, if there is one, to somewhere else."""
    from lather.core.brush.stroke import PenSample
    from lather.document.areas import bounds_of

    state = app.bench.state
    if state.area is None:
        return
    rect = bounds_of(state.area, state.photo.rect)
    app.bench.hands.take_tool("graft")
    x, y = (rect.x0 + rect.x1) / 2, (rect.y0 + rect.y1) / 2
    dx, dy = chance.uniform(-50, 50), chance.uniform(-50, 50)
    pen.stroke([PenSample(0.01 * i, x + dx * i / 6, y + dy * i / 6, 0.9) for i in range(6)])
    pen.wait()


def group(app: App, pen: SimulatedPen,  # noqa: ARG001
          chance: random.Random) -> None:
    """A group around the active layer, something done to it, or taken apart again."""
    from lather.core.blend.modes import BlendMode
    from lather.document import edits
    from lather.document.layers.group import GroupLayer

    bench = app.bench
    active = bench.state.active
    if isinstance(active, GroupLayer):
        choice = chance.choice(("mode", "strength", "ungroup", "ungroup"))
        if choice == "mode":
            bench.change("Mode", edits.set_mode, active.id, chance.choice(list(BlendMode)))
        elif choice == "strength":
            bench.change("Strength", edits.set_strength, active.id, chance.random())
        else:
            app.window.actions_by_id["layer.ungroup"].run(bench)
    elif not active.IS_FIXED:
        bench.change("Group", edits.group, active.id)
