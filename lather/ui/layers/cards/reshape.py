"""The card of a reshape layer."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.reshape import ReshapeLayer
from lather.render.worker import Executor
from lather.ui.layers.cards.rows import Card
from lather.ui.parts.widgets import label

TEXT = (
    "Moves what lies below: paint on it with Push and its kin. Its strength and its mask weaken "
    "how far, and painting below it goes on."
)


class ReshapeCard(Card):
    """It has nothing to set: the field is painted."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__(bench, ReshapeLayer)
        text = label(TEXT, "dim")
        text.setWordWrap(True)
        layout = self.layout()
        assert layout is not None
        layout.addWidget(text)


def make(bench: Workbench, executor: Executor) -> Card:  # noqa: ARG001
    return ReshapeCard(bench)
