"""Radial light: a row for each parameter."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.radial import RadialLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    card = Card(bench, RadialLayer)
    card.add_pick("drag on picture")
    return card
