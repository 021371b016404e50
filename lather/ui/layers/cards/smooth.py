"""Smooth: its scale and the edges that it keeps."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.smooth import SmoothLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    return Card(bench, SmoothLayer)
