"""The card of each kind of layer with parameters."""

from __future__ import annotations

from collections.abc import Callable

from lather.actions.workbench import Workbench
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.light import LightLayer
from lather.document.layers.smooth import SmoothLayer
from lather.document.layers.split import SplitLayer
from lather.render.worker import Executor
from lather.ui.cards import curves, light, smooth, split
from lather.ui.cards.rows import Card

CARDS: dict[type[ComputedLayer], Callable[[Workbench, Executor], Card]] = {
    CurvesLayer: curves.make,
    SmoothLayer: smooth.make,
    SplitLayer: split.make,
    LightLayer: light.make,
}
