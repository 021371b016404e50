"""Beside the delivery: what would be written, how large, and what the check says of it."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.job.delivering import Planned, planned
from lather.actions.workbench import Workbench
from lather.assist.check.check import Check
from lather.document.agreed.brief import Brief
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.files.exchange.delivery import ENDINGS
from lather.render.worker import Executor
from lather.ui.parts.fitting import FittingLine
from lather.ui.parts.theme import GAP_1, GAP_3
from lather.ui.parts.verdict_gauge import VerdictGauge
from lather.ui.parts.widgets import CommandButton, column_in, label
from lather.ui.stages.part import StagePart

MOST_REASONS = 3
NOTHING = "Nothing is ticked: choose under Deliver… what is to be written."
NO_JOB = "Open a photo first."
NOT_CHECKED = "Not checked since the last change."


class Outputs(StagePart):
    """Reads the brief, the presets and the gauge."""

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        column = column_in(self, GAP_1)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(GAP_1)
        column.addLayout(self._rows)
        column.addSpacing(GAP_3)
        column.addWidget(label("What the check says", "title"))
        self.gauge = VerdictGauge()
        column.addWidget(self.gauge)
        self.reasons = label("", "dim")
        self.reasons.setWordWrap(True)
        column.addWidget(self.reasons)
        self.buttons = [CommandButton(actions[name], bench) for name in ("check.show", "check.all")]
        for button in self.buttons:
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            column.addWidget(button)
        self.heard.to(bench.gauge.changed, self.reset)
        self.heard.to(bench.job_opened, self.reset)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.heard.to(bench.stage_changed, self.reset)
        self.heard.to(bench.settings.changed, self._on_setting_changed)
        self.reset()

    def reset(self) -> None:
        if not self.is_looked_at:
            return
        job, gauge = self.bench.job, self.bench.gauge
        check = gauge.check(job.state) if job is not None else None
        self._show_outputs(job.state if job is not None else None)
        self.gauge.show_check(check, "not checked yet", with_reason=False)
        self.reasons.setText(self._said(check))
        for button in self.buttons:
            button.refresh()

    @property
    def outputs(self) -> list[str]:
        """What is said, line by line."""
        widgets = [self._rows.itemAt(n).widget() for n in range(self._rows.count())]  # type: ignore[union-attr]
        return [widget.text() for widget in widgets if isinstance(widget, (QLabel, FittingLine))]

    def _show_outputs(self, state: JobState | None) -> None:
        """The name of each delivery, and what comes of it."""
        while self._rows.count():
            widget = self._rows.takeAt(0).widget()  # type: ignore[union-attr]
            assert widget is not None
            widget.hide()  # deletion may come after the next paint
            widget.deleteLater()
        brief, settings = state.brief if state is not None else Brief(), self.bench.settings
        ticked = [one for one in planned(brief, settings) if one.is_ticked]
        if state is None or not ticked:
            said = label(NO_JOB if state is None else NOTHING)
            said.setWordWrap(True)
            self._rows.addWidget(said)
            return
        for one in ticked:
            name = FittingLine(is_written=True)
            name.setText(one.delivery.name)
            self._rows.addWidget(name)
            self._rows.addWidget(label(_told(state, one), "dim"))

    def _said(self, check: Check | None) -> str:
        if self.bench.job is None or not is_surveyed(self.bench) or check is None:
            return ""
        lines = list(check.reasons[:MOST_REASONS])
        n_more = len(check.reasons) - len(lines)
        if n_more > 0:
            lines.append(f"{n_more} more: see the check.")
        if not self.bench.gauge.is_fresh(self.bench.state):
            lines.append(NOT_CHECKED)
        return "\n".join(lines)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:  # noqa: ARG002
        self.reset()

    def _on_setting_changed(self, key: str) -> None:
        if key == "deliveries":
            self.reset()


def _told(state: JobState, one: Planned) -> str:
    """What comes of it."""
    delivery = one.delivery
    form = next((form.label for form, endings in ENDINGS.items() if delivery.suffix in endings),
                delivery.suffix)  # fmt: skip
    width, height = delivery.pixels(state.photo.width, state.photo.height)
    profile = "sRGB" if delivery.to_srgb else "own colours"
    return (f"{form}, {delivery.depth_bits} bit, {width} × {height} px, "
            f"{profile}")  # fmt: skip
