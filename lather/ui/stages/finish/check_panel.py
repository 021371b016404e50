"""The check in the left column: the verdict, the face map, the ladder, the row looked at."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.keymap import keys_of
from lather.actions.looking.people import person_of
from lather.actions.stages import table
from lather.actions.stages.checking import look_at_row
from lather.actions.stages.evening import look_at_part
from lather.actions.workbench import Workbench
from lather.assist.check.check import Check, Checked
from lather.assist.check.lever import LITTLE
from lather.assist.face_map import shades_of_row
from lather.core.survey.regions.region import Part
from lather.document.agreed.trials import told
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.face_map import FaceMap
from lather.ui.parts.theme import GAP_1, GAP_2
from lather.ui.parts.verdict_gauge import VerdictGauge
from lather.ui.parts.widgets import CommandButton, column_in, dress_anew, label
from lather.ui.stages.finish.ladder import Ladder
from lather.ui.stages.part import StagePart

COMMANDS = (("check.all", "Check all"), ("check.blind", "Which is it?"))
NO_SURVEY = "Survey the portrait first: what skin is, and how large a millimetre."
NO_RETOUCH = "Nothing was changed yet: there is nothing to check."
NO_BRIEF = "No brief was written: these limits are the defaults of '{}'."
REDUCED = "Measured on a reduced picture: check everything for the rest."
STALE = "Dim rows are from before the last change: check everything again."


class CheckPanel(StagePart):
    """Reads the gauge."""

    SAYS_ITSELF = True

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        self._use = actions["check.lever"]
        column = column_in(self, GAP_2)
        self.gauge = VerdictGauge()
        column.addWidget(self.gauge)
        self.headline = label("")
        self.headline.setWordWrap(True)
        column.addWidget(self.headline)
        self.said = label("", "dim")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        row = QHBoxLayout()
        row.setSpacing(GAP_1)
        self.buttons = [CommandButton(actions[name], bench, text=text)
                        for name, text in COMMANDS]  # fmt: skip
        for button in self.buttons:
            button.setProperty("role", "compact")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            row.addWidget(button, 1)
        column.addLayout(row)
        self.trials = label("", "dim")
        self.trials.setWordWrap(True)
        column.addWidget(self.trials)
        self.map = FaceMap(bench, executor)
        self.map.picked.connect(self._on_part)
        column.addWidget(self.map)
        self.detail = label("")
        self.detail.setWordWrap(True)
        self.detail.setMinimumWidth(1)  # it names layers, whose names may be one long word
        column.addWidget(self.detail)
        self.lever = CommandButton(self._use, bench)
        self.lever.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        column.addWidget(self.lever)
        self.ladder = Ladder()
        self.ladder.picked.connect(self._on_row)
        column.addWidget(self.ladder)
        self.all_rows = QToolButton()
        self.all_rows.setCheckable(True)
        self.all_rows.setAccessibleName("All measures")
        self.all_rows.setProperty("role", "compact")
        self.all_rows.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.all_rows.toggled.connect(lambda on: self._show())
        column.addWidget(self.all_rows)
        unbuilt = label(table.row(stage).intro, "dim")
        unbuilt.setWordWrap(True)
        column.addWidget(unbuilt)
        column.addStretch(1)
        self.heard.to(bench.gauge.changed, self._show)
        self.heard.to(bench.job_opened, self._show)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.heard.to(bench.stage_changed, self._show)
        self.heard.to(bench.looks_changed, self._on_looks_changed)
        self._show()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:  # noqa: ARG002
        self._show()

    def _on_looks_changed(self) -> None:
        if self.map.person != person_of(self.bench):
            self._show()

    def _show(self) -> None:
        if not self.is_looked_at:
            return  # read back when it is gone to
        if self.bench.job is None:
            self.gauge.show_check(None, "no photo open", with_reason=False)
            self.headline.hide()
            return
        gauge, state = self.bench.gauge, self.bench.state
        check = gauge.check(state)
        self.gauge.show_check(check, "not checked yet", with_reason=False)
        self.said.setText(_said(self.bench, check))
        self.said.setVisible(bool(self.said.text()))
        row = gauge.row(state)
        first = check.headlines[0] if check is not None and check.headlines else ""
        self.headline.setText(first)
        self.headline.setVisible(bool(first) and (row is None or row.sentence() != first))
        self.map.show_state(state if is_surveyed(self.bench) else None)
        by_part = row if row is not None and row.reading.by_part else None
        if by_part is None and check is not None:
            by_part = check.row("texture_kept")
        spots = tuple(r.reading.place for r in check.beyond if r.reading.place) if check else ()
        self.map.show_shades(shades_of_row(by_part) if by_part else {}, spots)
        self._show_ladder(check)
        self._show_row(row)
        self.trials.setText(told(state.trials))
        self.trials.setVisible(bool(state.trials))
        for button in (*self.buttons, self.lever):
            button.refresh()
        keys = keys_of(self._use, self.bench.settings)
        self.lever.setText(f"{self._use.title}  ({keys[0]})" if keys else self._use.title)

    def _show_ladder(self, check: Check | None) -> None:
        gauge = self.bench.gauge
        fresh = gauge.is_fresh(self.bench.state)
        rows = list(check.rows) if check is not None else []
        stale: frozenset[str] = frozenset()
        if check is not None and not fresh and gauge.full is not None:
            had = {row.row.id for row in rows}
            old = [row for row in gauge.full.rows if row.row.id not in had]
            stale = frozenset(row.row.id for row in old)
            rows += old
        rows.sort(key=lambda row: -row.share)
        telling = [row for row in rows if row.share >= LITTLE or row.row.id == gauge.row_id]
        shown = rows if self.all_rows.isChecked() else telling
        self.ladder.show_rows(shown, gauge.levers(self.bench.state), gauge.row_id, stale)
        self.ladder.setVisible(bool(rows))
        n_folded = len(rows) - len(telling)
        self.all_rows.setVisible(n_folded > 0)
        self.all_rows.setText("Fewer measures" if self.all_rows.isChecked()
                              else f"{n_folded} more hold easily")  # fmt: skip

    def _show_row(self, row: Checked | None) -> None:
        """What the row means, what it is, and what would bring it back."""
        self.detail.setVisible(row is not None)
        gauge, state = self.bench.gauge, self.bench.state
        lever, cause = gauge.lever(state), gauge.cause(state)
        self.lever.setVisible(lever is not None)
        if row is None:
            return
        lines = [f"{row.sentence()}."]
        if lever is not None:
            lines.append(lever.sentence())
        elif cause and not row.is_beyond:
            lines.append(f"Most of it by '{cause}'.")
        elif row.is_beyond and gauge.is_fresh(state) and gauge.causes is None:
            lines.append("What would bring it back is being looked for.")
        elif row.is_beyond:
            lines.append(f"By hand: {row.row.advice}.")
        self.detail.setText("\n".join(lines))
        self.detail.setToolTip(row.row.help)
        self.detail.setProperty("role", "warning" if row.is_beyond else "dim")
        dress_anew(self.detail)

    def _on_row(self, row_id: str) -> None:
        look_at_row(self.bench, row_id)

    def _on_part(self, part: Part) -> None:
        look_at_part(self.bench, part)


def _said(bench: Workbench, check: Check | None) -> str:
    if not is_surveyed(bench):
        return NO_SURVEY
    if len(bench.state.layers) < 2:
        return NO_RETOUCH
    lines = []
    if bench.state.brief.is_default:
        lines.append(NO_BRIEF.format(bench.state.brief.style.title))
    if check is not None and not bench.gauge.is_fresh(bench.state):
        lines.append(STALE if bench.gauge.full is not None else REDUCED)
    return "\n".join(lines)
