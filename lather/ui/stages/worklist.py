"""The left column: what the stage at hand offers now, what it found, and what is proposed."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtWidgets import QVBoxLayout

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.workbench import Workbench
from lather.assist.stages import title
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.theme import GAP_2
from lather.ui.parts.widgets import CommandButton, Panel, label
from lather.ui.stages.finding_list import FindingList
from lather.ui.stages.part import StagePart
from lather.ui.stages.proposal_card import ProposalCard
from lather.ui.stages.table import STAGES, StageRow, row

P = TypeVar("P", bound=StagePart)


class Worklist(Panel):
    """The stage's words and its own parts around what is proposed and its findings."""

    def __init__(
        self, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__("Worklist")
        self.bench = bench
        self._actions, self._executor = actions, executor
        self._parts: dict[tuple[Stage, type[StagePart]], StagePart] = {}
        self.text = label("", "")
        self.text.setWordWrap(True)
        self.column.addWidget(self.text)
        self.survey = CommandButton(actions["finding.survey"], bench)
        self.column.addWidget(self.survey)
        self._above = self._place()
        self.proposal = ProposalCard(bench, actions)
        self.column.addWidget(self.proposal)
        self.findings = FindingList(bench, actions)
        self.column.addWidget(self.findings, 1)
        self._below = self._place()
        self.column.addStretch(0)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.stage_changed.connect(self.reset)
        bench.pending_changed.connect(self.reset)
        self.reset()

    def close_view(self) -> None:
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.stage_changed.disconnect(self.reset)
        self.bench.pending_changed.disconnect(self.reset)
        self.findings.close_view()
        self.proposal.close_view()
        for part in self._parts.values():
            part.close_view()

    def heightForWidth(self, width: int) -> int:
        """As high as it has to be: lists give way before the column scrolls."""
        return self.column.minimumHeightForWidth(width)

    def part(self, kind: type[P]) -> P:
        """The part of that class, of whichever stage has it; LookupError if none has."""
        for name, its in STAGES.items():
            if kind in (its.above, its.below):
                part = self._made(Stage(name), kind)
                assert isinstance(part, kind)
                return part
        raise LookupError(kind.__name__)

    def reset(self) -> None:
        """Show what the stage has now."""
        stage, its = self.bench.stage, row(self.bench.stage)
        parts = [self._made(stage, kind) for kind in (its.above, its.below) if kind is not None]
        shown = [part for part in parts if part.is_wanted()]
        for part in self._parts.values():
            part.setVisible(part in shown)
        surveyed, pending = is_surveyed(self.bench), self.bench.pending is not None
        lists = its.lists and surveyed
        self.title.setText(its.heading or title(stage))
        self.text.setText(its.words(stage, self.bench))
        self.text.setVisible(not lists and not any(part.SAYS_ITSELF for part in shown))
        self.survey.setVisible(its.measures and not surveyed)
        self.survey.refresh()
        self.findings.setVisible(lists and not pending)
        self.note.setText(self._note(stage, its, shown))
        fills = any(part.FILLS for part in shown)
        self.column.setStretchFactor(self._below, 1 if fills else 0)
        is_filled = not pending and (lists or fills)
        self.column.setStretch(self.column.count() - 1, 0 if is_filled else 1)

    def _place(self) -> QVBoxLayout:
        """Where parts of stages go."""
        place = QVBoxLayout()
        place.setSpacing(GAP_2)
        self.column.addLayout(place)
        return place

    def _made(self, stage: Stage, kind: type[StagePart]) -> StagePart:
        """The part of a stage; made now if it was not needed before."""
        key = stage, kind
        if key not in self._parts:
            part = self._parts[key] = kind(stage, self.bench, self._actions, self._executor)
            place = self._above if kind is row(stage).above else self._below
            place.addWidget(part, 1 if part.FILLS else 0)
            part.changed.connect(self.reset)
        return self._parts[key]

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.findings is not after.findings:
            self.reset()

    def _note(self, stage: Stage, its: StageRow, shown: list[StagePart]) -> str:
        if its.lists and is_surveyed(self.bench):
            n_decided, n = self.bench.state.findings.decided_of_stage(stage.value)
            return f"{n_decided} of {n} decided"
        return next((part.note() for part in shown if part.note()), "")
