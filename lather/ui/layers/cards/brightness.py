"""Brightness and contrast: a row for each parameter."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.brightness import BrightnessLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.rows import Card


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    return Card(bench, BrightnessLayer)
