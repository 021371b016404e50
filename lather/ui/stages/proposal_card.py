"""What is proposed, in words and figures: how far, where, and what to do with it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from lather.actions.action import Action
from lather.actions.work.proposing import set_strength
from lather.actions.workbench import Workbench
from lather.assist.even.scores import where
from lather.assist.pending import Pending
from lather.assist.proposal import MatchProposal
from lather.core.tone.match import AreaColour, difference
from lather.document.operations.operation import Measure
from lather.tools.advice import Advice
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.texts import TOP_LEFT, TOP_RIGHT, draw
from lather.ui.parts.theme import GAP_1, GAP_2, SMALL, font, theme
from lather.ui.parts.widgets import CommandButton, column_in, label

SWATCH_PX = 34
BEYOND = "Beyond the mark the check says 'overdone', by the brief's limits."
SHINE_ADVICE = Advice(50, 75, "50-75 %: some of a highlight stays, so that the face keeps its form")


class ProposalCard(QWidget):
    """Shown while a proposal is pending."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self.bench = bench
        column = column_in(self, GAP_2)
        self.title = label("", "title")
        column.addWidget(self.title)
        self.strength = Ruler("Strength", 5, 100, "%")
        self.strength.moved.connect(lambda value: set_strength(bench, value / 100))
        column.addWidget(self.strength)
        row = QHBoxLayout()
        row.setSpacing(GAP_1)
        self.buttons = [
            CommandButton(actions[action_id], bench, text=text)
            for action_id, text in (
                ("proposal.accept", "Take over"), ("proposal.paint_in", "Paint in"),
                ("proposal.leave", "Leave"),
            )
        ]  # fmt: skip
        for button in self.buttons:
            button.setProperty("role", "compact")
            row.addWidget(button, 1)
        column.addLayout(row)
        self.swatches = Swatches()
        column.addWidget(self.swatches)
        self.figures = label("")
        self.figures.setWordWrap(True)
        column.addWidget(self.figures)
        self.reasons = label("", "dim")
        self.reasons.setWordWrap(True)
        column.addWidget(self.reasons)
        self.parts = label("", "dim")
        self.parts.setWordWrap(True)
        column.addWidget(self.parts)
        bench.pending_changed.connect(self.reset)
        self.reset()

    def close_view(self) -> None:
        self.bench.pending_changed.disconnect(self.reset)

    def reset(self) -> None:
        pending = self.bench.pending
        self.setVisible(pending is not None)
        if pending is None:
            return
        proposal = pending.proposal
        self.title.setText(f"Proposed: {proposal.name.lower()}")
        self.strength.setVisible(pending.can_be_weakened)
        self.strength.set_value(100 * pending.strength)
        self.strength.set_advice(SHINE_ADVICE if proposal.name == "Tame shine" else None)
        limit = pending.limit
        self.strength.set_limit(None if limit is None else 100 * limit, BEYOND)
        self.figures.setText("\n".join(map(_told, pending.as_meant.measures)))
        self.reasons.setText("\n".join(_sentence(reason) for reason in proposal.reasons))
        self.parts.setText(_where(pending))
        self.swatches.show_match(proposal if isinstance(proposal, MatchProposal) else None)
        for button in self.buttons:
            button.refresh()


class Swatches(QWidget):
    """Two colours side by side, before and after, with how far they are apart."""

    def __init__(self) -> None:
        super().__init__()
        self._match: MatchProposal | None = None
        self.setAccessibleName("Colours matched")

    def sizeHint(self) -> QSize:
        return QSize(200, 2 * (SWATCH_PX + 18))

    def show_match(self, match: MatchProposal | None) -> None:
        self._match = match
        self.setVisible(match is not None)
        self.setFixedHeight(self.sizeHint().height() if match is not None else 0)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        match = self._match
        if match is None or match.target is None or match.reference is None:
            return
        assert match.outcome is not None
        painter = QPainter(self)
        painter.setFont(font(SMALL))
        for row, (title, target) in enumerate((("now", match.target), ("proposed", match.outcome))):
            top = row * (SWATCH_PX + 18)
            half = self.width() / 2
            away = difference(target, match.reference)
            painter.setPen(QColor(theme().dim))
            text = QRectF(0, top, self.width(), 16)
            draw(painter, text, f"target {title}", TOP_LEFT)
            draw(painter, text, f"reference, {away:.1f} off", TOP_RIGHT)
            for x, colour in ((0.0, target), (half, match.reference)):
                painter.fillRect(QRectF(x, top + 17, half, SWATCH_PX - 3), _colour(colour))


def _colour(area: AreaColour) -> QColor:
    red, green, blue = area.srgb
    return QColor.fromRgbF(red, green, blue)


def _told(measure: Measure) -> str:
    """A figure before and after."""
    name = _sentence(measure.name)
    if abs(measure.after - measure.before) < 1e-9:
        return f"{name}: {measure.before:.1f} {measure.unit}"
    return f"{name}: {measure.before:.2f} → {measure.after:.2f} {measure.unit}"


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


def _where(pending: Pending) -> str:
    if not pending.can_be_weakened:
        return "On the layers that are there."
    if not pending.parts:
        return "Everywhere. Click parts on the face map to take it there alone."
    return f"Only here: {', '.join(where(part) for part in pending.parts)}."
