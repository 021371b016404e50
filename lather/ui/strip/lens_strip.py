"""The lenses under the picture, and what the one looked through shows, in units."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from lather.actions.action import Action
from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.document.state import JobState
from lather.render.lenses.lens import Swatch
from lather.render.lenses.table import LENSES
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_4, SMALL, font, theme
from lather.ui.parts.widgets import CommandButton, label

# What can be set of a lens, by the commands that set it.
OPTIONS = {
    "black_white": (("lens.less_red", "\u2212 red"), ("lens.more_red", "+ red")),
    "blotch": (("lens.blotch_of", "light / red"),),
}
SWATCH_PX, GAP_PX = 12, 6


class LensStrip(QWidget):
    """One button a lens; beside them how it is set, and its legend."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self.bench = bench
        self.buttons: dict[str, CommandButton] = {}
        self.options: dict[str, list[CommandButton]] = {}
        self.legend = Legend()
        row = self._row = QHBoxLayout(self)
        row.setContentsMargins(GAP_4, GAP_1, GAP_4, 0)
        row.setSpacing(GAP_1)
        row.addWidget(label("Lens", "dim"))
        row.addSpacing(GAP_1)
        self._first = row.count()
        for lens in LENSES.values():
            self.buttons[lens.id] = self._button(actions[f"lens.{lens.id}"], lens.title)
            row.addWidget(self.buttons[lens.id])
        row.addSpacing(GAP_2)
        for lens_id, commands in OPTIONS.items():
            self.options[lens_id] = [self._button(actions[name], text) for name, text in commands]
            for button in self.options[lens_id]:
                row.addWidget(button)
        row.addSpacing(GAP_2)
        row.addWidget(self.legend, 1)
        bench.stage_changed.connect(self._arrange)
        bench.looks_changed.connect(self.reset)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.hands.changed.connect(self.reset)
        self._arrange()
        self.reset()

    def _arrange(self) -> None:
        """The stage's own lenses before the others."""
        first = table.row(self.bench.stage).lenses
        ids = [*first, *(lens_id for lens_id in self.buttons if lens_id not in first)]
        for number, lens_id in enumerate(ids, start=self._first):
            self._row.insertWidget(number, self.buttons[lens_id])

    def reset(self) -> None:
        """Read the lens back."""
        lens_id = self.bench.looks.lens
        for button in self.buttons.values():
            button.refresh()
        for of, buttons in self.options.items():
            for button in buttons:
                button.setVisible(of == lens_id)
                button.refresh()
        swatches: tuple[Swatch, ...] = ()
        if lens_id and self.bench.job is not None:
            look = self.bench.looks.through(self.bench.hand.region)
            swatches = LENSES[lens_id].legend(self.bench.state, look)
        self.legend.show_swatches(swatches)

    def close_view(self) -> None:
        self.bench.stage_changed.disconnect(self._arrange)
        self.bench.looks_changed.disconnect(self.reset)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.hands.changed.disconnect(self.reset)

    def _button(self, action: Action, text: str) -> CommandButton:
        button = CommandButton(action, self.bench, text=text)
        button.setProperty("role", "named")
        return button

    def _on_job_changed(self, before: JobState, after: JobState) -> None:  # noqa: ARG002
        if self.bench.looks.lens:
            self.reset()


class Legend(QWidget):
    """Swatches, each with what it stands for, from left to right."""

    def __init__(self) -> None:
        super().__init__()
        self.swatches: tuple[Swatch, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Legend of the lens")

    def sizeHint(self) -> QSize:
        return QSize(120, SWATCH_PX + 4)

    def show_swatches(self, swatches: tuple[Swatch, ...]) -> None:
        if swatches != self.swatches:
            self.swatches = swatches
            text = ", ".join(swatch.text for swatch in swatches)
            self.setToolTip(text)
            self.setAccessibleDescription(text)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setFont(font(SMALL))
        metrics = painter.fontMetrics()
        x, middle = 0.0, self.height() / 2
        for n, swatch in enumerate(self.swatches):
            left = self.width() - x - SWATCH_PX - GAP_PX
            if left < SWATCH_PX:
                return
            box = QRectF(x, middle - SWATCH_PX / 2, SWATCH_PX, SWATCH_PX)
            colour = QColor.fromRgbF(*swatch.colour)
            painter.setPen(QPen(QColor(theme().dim), 1))
            painter.setBrush(colour)
            painter.drawRect(box)
            if swatch.hatched:
                dark = colour.lightnessF() > 0.5
                lines = QColor(0, 0, 0) if dark else QColor(230, 230, 230)
                painter.setBrush(QBrush(lines, Qt.BrushStyle.BDiagPattern))
                painter.drawRect(box)
            rest = sum(SWATCH_PX + 3 * GAP_PX for _ in self.swatches[n + 1 :])
            text = metrics.elidedText(
                swatch.text, Qt.TextElideMode.ElideRight, int(max(left - rest, 24))
            )
            x += SWATCH_PX + GAP_PX
            width = metrics.horizontalAdvance(text)
            painter.setPen(QColor(theme().text))
            painter.drawText(
                QRectF(x, 0, width + 2, self.height()), Qt.AlignmentFlag.AlignVCenter, text
            )
            x += width + 2 * GAP_PX
