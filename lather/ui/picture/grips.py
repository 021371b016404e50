"""What can be taken hold of on the picture instead of painting: face handles, a proposal's."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from lather.actions.workbench import Workbench
from lather.ui.picture.handle_mark import HandleMark
from lather.ui.picture.proposal_mark import ProposalMark


class Grips:
    """Draws handles, and lets them be dragged; `moved` is called after each move."""

    def __init__(self, bench: Workbench, moved: Callable[[], None]) -> None:
        self.handles = HandleMark(bench)
        self.proposal = ProposalMark(bench)
        self._moved = moved

    @property
    def busy(self) -> bool:
        """True while something is held."""
        return self.handles.busy or self.proposal.busy

    def press(self, position: QPointF, ratio: float) -> bool:
        """Take hold of what lies at a place of the widget; False if nothing does."""
        return self.proposal.press(position, ratio) or self.handles.press(position, ratio)

    def drag(self, position: QPointF) -> None:
        self.proposal.move(position)
        self.handles.move(position)
        self._moved()

    def drop(self, position: QPointF, ratio: float) -> None:
        if self.proposal.busy:
            self.proposal.release()
        else:
            self.handles.release(position, ratio)
        self._moved()

    def draw_below(self, painter: QPainter, ratio: float) -> None:
        """What lies below the brush."""
        self.proposal.draw(painter, ratio)
        self.handles.draw(painter, ratio)

    def draw_above(self, painter: QPainter, ratio: float) -> None:
        """What can be taken hold of whatever the ring around the pen shows."""
        self.proposal.draw_handle(painter, ratio)
