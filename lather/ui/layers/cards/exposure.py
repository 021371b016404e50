"""Exposure and warmth: a row for each parameter."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.exposure import ExposureLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    card = Card(bench, ExposureLayer)
    card.add_pick("pick a grey")
    return card
