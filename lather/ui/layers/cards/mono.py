"""Black and white, each hue as light as is wanted: a row for each parameter."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.mono import MonoLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.ranges import RangesCard
from lather.ui.layers.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:
    return RangesCard(bench, MonoLayer, executor)
