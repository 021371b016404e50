"""Hue ranges: a row for each parameter."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.hues import HuesLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.ranges import RangesCard
from lather.ui.layers.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:
    return RangesCard(bench, HuesLayer, executor)
