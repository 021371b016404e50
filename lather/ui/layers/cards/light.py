"""Light and shade: how the map is shown; it is painted with Lighten and Darken."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.light import LightLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.rows import Card
from lather.ui.parts.widgets import label


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    card = Card(bench, LightLayer)
    hint = label("Paint on it with Lighten and Darken; Erase takes the light back.", "dim")
    hint.setWordWrap(True)
    card.rows.addWidget(hint)
    return card
