"""Beside the brief: how far its style may go, and what is kept."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.assist.check.table import BY_ID
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.theme import GAP_1, GAP_2
from lather.ui.parts.widgets import column_in, label
from lather.ui.stages.brief.kept_list import KeptList
from lather.ui.stages.part import StagePart

ALLOWED = ("texture_kept", "modelling_kept", "colour_shift", "displacement", "teeth_lighter",
           "eye_whites_lighter", "evenness", "keep_marks")  # fmt: skip


class Agreed(StagePart):
    """The limits by which the check goes, and the questions to the client."""

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        column = column_in(self, GAP_2)
        self.style_name = label("", "dim")
        column.addWidget(self.style_name)
        grid = QGridLayout()
        grid.setHorizontalSpacing(GAP_2)
        grid.setVerticalSpacing(GAP_1)
        self.limits = {name: label("", "title") for name in ALLOWED}
        for row, (name, value) in enumerate(self.limits.items()):
            title = label(BY_ID[name].title)
            title.setToolTip(BY_ID[name].help)
            grid.addWidget(title, row, 0)
            grid.addWidget(value, row, 1, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(0, 1)
        column.addLayout(grid)
        column.addWidget(label("What is kept", "title"))
        self.kept = KeptList(bench)
        column.addWidget(self.kept)
        self.heard.to(bench.job_opened, self.reset)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.heard.to(bench.stage_changed, self.reset)
        self.reset()

    def reset(self) -> None:
        job = self.bench.job
        self.setEnabled(job is not None)
        if job is None or not self.is_looked_at:
            return
        brief = job.state.brief
        self.style_name.setText(f"As '{brief.style.title}' allows")
        limits = brief.limits.bounds
        for name, value in self.limits.items():
            row, bound = BY_ID[name], limits[name]
            most = bound.high if bound.low is None or row.unit == "L*" else None
            value.setText(f"≤ {row.text(most)}" if most is not None
                          else f"≥ {row.text(bound.low or 0.0)}")  # fmt: skip
        self.kept.show_state(job.state)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.brief is not after.brief or before.findings is not after.findings:
            self.reset()
