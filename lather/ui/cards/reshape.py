"""The card of a reshape layer."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.reshape import ReshapeLayer
from lather.render.worker import Executor
from lather.ui.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    return Card(bench, ReshapeLayer)
