"""The strip under the picture: ways of looking, zoom, and what has been touched."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.document.photo import UNTAGGED
from lather.document.state import JobState
from lather.render.touched import touched_share
from lather.render.worker import Executor
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_3, GAP_4
from lather.ui.parts.verdict_gauge import VerdictGauge
from lather.ui.parts.widgets import CommandButton, label, run_action
from lather.ui.strip.check_watch import CheckWatch

LOOKS = ("view.before", "view.split", "view.mirror", "view.handles")
ZOOMS = (
    ("view.fit", "fit"),
    ("view.zoom_50", "50"),
    ("view.zoom_100", "100"),
    ("view.zoom_200", "200"),
    ("view.zoom_delivery", "delivery"),
)
MEASURE_AFTER_MS = 300
NAMED_FROM_PX, LEAST_PX = 1240, 640


class CheckStrip(QWidget):
    """Buttons for the view and the figures of the retouch so far."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], executor: Executor) -> None:
        super().__init__()
        self.bench = bench
        self._executor = executor
        self._buttons: list[CommandButton] = []
        self._looks: list[CommandButton] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(GAP_4, GAP_2, GAP_4, GAP_2)
        row.setSpacing(GAP_1)
        for action_id in LOOKS:
            self._looks.append(self._button(actions[action_id]))
            self._looks[-1].show_name(True)
            row.addWidget(self._looks[-1])
        row.addSpacing(GAP_2)
        row.addWidget(label("Zoom", "dim"))
        for action_id, text in ZOOMS:
            button = self._button(actions[action_id], text=text)
            button.setProperty("role", "compact")
            row.addWidget(button)
        self.zoom = label("", "title")
        self.zoom.setMinimumWidth(46)
        row.addWidget(self.zoom)
        self.untagged = label("sRGB assumed", "chip")
        self.untagged.setToolTip(f"{UNTAGGED}\nIf it is in another space, colours are wrong here "
                                 "and in what is delivered.")
        row.addWidget(self.untagged, 0, Qt.AlignmentFlag.AlignVCenter)
        self.gauge = VerdictGauge()
        self.gauge.clicked.connect(lambda: run_action(actions["check.show"], bench))
        row.addSpacing(GAP_3)
        row.addWidget(self.gauge, 1)
        for action_id in ("edit.undo", "edit.redo"):
            row.addWidget(self._button(actions[action_id], text=""))
        row.addSpacing(GAP_3)
        self.steps = self._figure(row, "steps", "Steps that can be undone.")
        self.touched = self._figure(
            row, "area touched", "Share of the picture that the visible layers change."
        )
        self._named = True
        self.setMinimumWidth(LEAST_PX)
        self._measuring = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(MEASURE_AFTER_MS)
        self._timer.timeout.connect(self._measure)
        bench.looks_changed.connect(self._refresh)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.gauge.changed.connect(self._show_gauge)
        self.watch = CheckWatch(bench, executor)
        self.reset()

    def reset(self) -> None:
        self.touched.setText("–")
        self._refresh()
        self._show_gauge()
        self._timer.start()

    @property
    def measured(self) -> bool:
        """True if no measurement is due or under way any more."""
        return not self._timer.isActive() and not self._measuring and self.watch.measured

    def close_view(self) -> None:
        self._timer.stop()
        self.bench.looks_changed.disconnect(self._refresh)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.gauge.changed.disconnect(self._show_gauge)
        self.watch.close_view()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is no room for their names, the looks are icons."""
        super().resizeEvent(event)
        named = self.width() >= NAMED_FROM_PX
        if named != self._named:
            self._named = named
            for button in self._looks:
                button.show_name(named)
            self._show_untagged()

    def _button(self, action: Action, text: str | None = None) -> CommandButton:
        self._buttons.append(CommandButton(action, self.bench, text=text))
        return self._buttons[-1]

    def _figure(self, row: QHBoxLayout, title: str, hint: str) -> QLabel:
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(label(title, "dim"))
        value = label("–", "title")
        value.setToolTip(hint)
        column.addWidget(value)
        row.addLayout(column)
        row.addSpacing(GAP_3)
        return value

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        self._refresh()
        self._show_gauge()
        self._timer.start()

    def _refresh(self) -> None:
        geometry, job = self.bench.geometry, self.bench.job
        self.zoom.setText(f"{100 * geometry.zoom:.0f} %" if geometry and job else "")
        self.steps.setText(str(job.history.n_done) if job else "–")
        self._show_untagged()
        for button in self._buttons:
            button.refresh()

    def _show_untagged(self) -> None:
        """Where there is no room the gauge matters more."""
        job = self.bench.job
        untagged = job is not None and UNTAGGED in job.state.photo.notices
        self.untagged.setVisible(untagged and self._named)

    def _show_gauge(self) -> None:
        job, gauge = self.bench.job, self.bench.gauge
        check = gauge.check(job.state) if job is not None else None
        retouched = job is not None and len(job.state.layers) > 1
        surveyed = job is not None and job.state.surveyed
        if job is None:
            note = ""
        elif not retouched:
            note = "as photographed"
        else:
            note = "checking …" if surveyed else "survey first"
        self.gauge.show_check(check, note)

    def _measure(self) -> None:
        job = self.bench.job
        if job is None:
            self.touched.setText("–")
            return
        state, self._measuring = job.state, True
        self._executor.post(lambda: touched_share(state), self._show_touched, priority=3)

    def _show_touched(self, share: float) -> None:
        self._measuring = False
        self.touched.setText(f"{100 * share:.1f} %" if share < 0.1 else f"{100 * share:.0f} %")
