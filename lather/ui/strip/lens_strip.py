"""The lenses under the picture, and how the one looked through is set."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from lather.actions.action import Action
from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.document.state import JobState
from lather.render.lenses.table import LENSES
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_4
from lather.ui.parts.widgets import CommandButton, label

# What can be set of a lens, by the commands that set it.
OPTIONS = {
    "black_white": (("lens.less_red", "\u2212 red"), ("lens.more_red", "+ red")),
    "blotch": (("lens.blotch_of", "light / red"),),
}


class LensStrip(QWidget):
    """One button a lens; beside them how it is set."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self.bench = bench
        self.buttons: dict[str, CommandButton] = {}
        self.options: dict[str, list[CommandButton]] = {}
        row = self._row = QHBoxLayout(self)
        row.setContentsMargins(GAP_4, GAP_1, GAP_4, 0)
        row.setSpacing(2)
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
        row.addStretch(1)
        bench.stage_changed.connect(self._arrange)
        bench.looks_changed.connect(self.reset)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
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

    def close_view(self) -> None:
        self.bench.stage_changed.disconnect(self._arrange)
        self.bench.looks_changed.disconnect(self.reset)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)

    def _button(self, action: Action, text: str) -> CommandButton:
        button = CommandButton(action, self.bench, text=text)
        button.setProperty("role", "lens")
        return button

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if self.bench.looks.lens or before.planes.regions is not after.planes.regions:
            self.reset()
