"""The left column: what the stage at hand offers now, its findings, places mended by hand."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QGridLayout, QListWidget, QListWidgetItem, QSizePolicy, QWidget

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.job.delivering import DELIVERY_CAUTION
from lather.actions.looking.view import go_close
from lather.actions.workbench import Workbench
from lather.assist.briefing import questions
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tree import walk
from lather.render.worker import Executor
from lather.tools.table import tool
from lather.ui.parts.crops import CROP_PX, crop_of
from lather.ui.parts.theme import GAP_1, GAP_2
from lather.ui.parts.widgets import CommandButton, Panel, label
from lather.ui.stages.even.score_panel import ScorePanel
from lather.ui.stages.finding_list import FindingList
from lather.ui.stages.finish.check_panel import UNBUILT, CheckPanel
from lather.ui.stages.proposal_card import ProposalCard
from lather.ui.stages.shape.shape_panel import INTRO, ShapePanel

LISTED = (Stage.CLEAN, Stage.EVEN)  # stages with findings to decide on
ASSISTANTS = ("even.shine", "even.redness", "even.even_out", "even.match")
TITLES = {**dict.fromkeys(LISTED, "Worklist"), Stage.FINISH: "Check"}
_RECORD = Qt.ItemDataRole.UserRole

BRIEF_INTRO = ("What was agreed comes first: every assistant and every limit of the check goes by "
               "it. Without a brief the defaults are 'groomed', at full size.")

STAGE_TEXTS = {
    Stage.BRIEF: f"{BRIEF_INTRO}\n\n{DELIVERY_CAUTION}",
    Stage.CLEAN: "Survey the portrait to list its blemishes and marks, or mend by hand with "
    "Mend spot: paint over a blemish or click on it.",
    Stage.EVEN: "Survey the portrait to find shine, redness and blotches, and to measure how even "
    "its skin is; or even it by hand: Paint colour on a layer of its own.",
    Stage.SCULPT: "Not built yet. Sculpt will hold light and shade on maps of their own. Until "
    "then: Paint colour on a soft-light layer.",
    Stage.FEATURES: "Not built yet. Features will hold eyes, teeth and lips.",
    Stage.HAIR: "Not built yet. Hair will find stray hairs against the background and fill gaps. "
    "Until then single hairs on skin can be mended by hand.",
    Stage.SHAPE: INTRO,
    Stage.FINISH: UNBUILT,
    Stage.DELIVER: f"Write the finished picture as JPEG, PNG, TIFF or WebP.\n\n{DELIVERY_CAUTION}",
}


class Worklist(Panel):
    """Text for the stage; where it has any, its findings and what is proposed; before a survey the
    places mended."""

    def __init__(
        self, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__("Worklist")
        self.bench = bench
        self.text = label("", "")
        self.text.setWordWrap(True)
        self.column.addWidget(self.text)
        self.deliver = CommandButton(actions["job.deliver"], bench)
        self.column.addWidget(self.deliver)
        self.survey = CommandButton(actions["finding.survey"], bench)
        self.column.addWidget(self.survey)
        self.scores = ScorePanel(bench, executor)
        self.column.addWidget(self.scores)
        self.shape = ShapePanel(bench, actions, executor)
        self.column.addWidget(self.shape)
        self.check = CheckPanel(bench, actions, executor)
        self.column.addWidget(self.check)
        self.proposal = ProposalCard(bench, actions)
        self.column.addWidget(self.proposal)
        self.findings = FindingList(bench, actions)
        self.column.addWidget(self.findings, 1)
        self.assistants = QWidget()
        grid = QGridLayout(self.assistants)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(GAP_1)
        self.assistant_buttons = [CommandButton(actions[name], bench) for name in ASSISTANTS]
        for number, button in enumerate(self.assistant_buttons):
            grid.addWidget(button, number // 2, number % 2)
            button.setProperty("role", "compact")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.column.addWidget(self.assistants)
        self.column.addSpacing(GAP_2)
        self.heading = label("", "dim")
        self.column.addWidget(self.heading)
        self.list = QListWidget()
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setIconSize(QSize(CROP_PX, CROP_PX))
        self.list.setUniformItemSizes(True)
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.setAccessibleName("Mended places")
        self.list.itemActivated.connect(self._on_picked)
        self.list.itemClicked.connect(self._on_picked)
        self.column.addWidget(self.list, 1)
        self._spring = self.column.count()
        self.column.addStretch(0)
        self._records: tuple[StrokeRecord, ...] = ()
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.stage_changed.connect(self._on_stage_changed)
        bench.pending_changed.connect(self._show_list)
        self.reset()

    def reset(self) -> None:
        self.list.clear()
        self._records = ()
        self._on_stage_changed()
        self._follow()

    def close_view(self) -> None:
        self.findings.close_view()
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.stage_changed.disconnect(self._on_stage_changed)
        self.bench.pending_changed.disconnect(self._show_list)
        self.scores.close_view()
        self.shape.close_view()
        self.check.close_view()
        self.proposal.close_view()

    def _ask_client(self) -> str:
        """What to ask before the work begins."""
        asked = questions(self.bench.state) if is_surveyed(self.bench) else ()
        lines = "\n".join(f"•  {question.text}" for question in asked)
        return f"ASK THE CLIENT\n{lines}" if asked else ""

    def _on_stage_changed(self) -> None:
        stage = self.bench.stage
        self.title.setText(TITLES.get(stage, stage.title))
        self.text.setText(STAGE_TEXTS[stage])
        self.deliver.setVisible(stage is Stage.DELIVER)
        self.deliver.refresh()
        self._show_list()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.findings is not after.findings or _strokes(before) != _strokes(after):
            self._follow()
        self.deliver.refresh()

    def _follow(self) -> None:
        """Bring the list up to date; usually one row is added or taken away."""
        job = self.bench.job
        records = mended_places(job.state) if job is not None else ()
        if records == self._records:
            self._show_list()
            return
        kept = 0
        while kept < min(len(records), len(self._records)):
            if records[kept] is not self._records[kept]:
                break
            kept += 1
        while self.list.count() > kept:
            self.list.takeItem(self.list.count() - 1)
        for number, record in enumerate(records[kept:], start=kept + 1):
            self.list.addItem(self._row(number, record))
        self._records = records
        self.list.scrollToBottom()
        self._show_list()

    def _show_list(self) -> None:
        n_mended = len(self._records)
        stage = self.bench.stage
        listed, clean = stage in LISTED, stage is Stage.CLEAN
        surveyed = listed and is_surveyed(self.bench)
        shown = clean and n_mended > 0 and not surveyed
        pending = self.bench.pending is not None
        even = surveyed and stage is Stage.EVEN
        self.findings.setVisible(surveyed and not pending)
        self.scores.setVisible(even)
        self.assistants.setVisible(even and not pending)
        for button in self.assistant_buttons:
            button.refresh()
        shapes = stage is Stage.SHAPE
        self.shape.setVisible(shapes)
        if stage is Stage.BRIEF:
            asked = self._ask_client()
            parts = BRIEF_INTRO, asked, DELIVERY_CAUTION
            self.text.setText("\n\n".join(part for part in parts if part))
        finishes, briefs = stage is Stage.FINISH, stage is Stage.BRIEF
        self.check.setVisible(finishes)
        self.text.setVisible(not surveyed and not shapes and not finishes)
        faceless = (shapes or finishes or briefs) and not is_surveyed(self.bench)
        self.survey.setVisible((listed and not surveyed) or faceless)
        self.survey.refresh()
        self.list.setVisible(shown)
        self.heading.setVisible(shown)
        self.heading.setText("MENDED PLACES")
        if surveyed:
            findings = self.bench.state.findings
            items = findings.of_stage(stage.value)
            n_open = sum(findings.state(finding) is FindingState.OPEN for finding in items)
            self.note.setText(f"{len(items) - n_open} of {len(items)} decided")
        else:
            self.note.setText(f"{n_mended} mended" if shown else "")
        self.column.setStretch(self._spring, 0 if (shown or surveyed) and not pending else 1)

    def _row(self, number: int, record: StrokeRecord) -> QListWidgetItem:
        width, height = record.rect.width, record.rect.height
        title = tool(record.tool).title if record.mode == "all" else f"Mended, {record.mode} only"
        item = QListWidgetItem(
            crop_of(self.bench.state, record.rect, self.bench.surround),
            f"{number}  {title}\n{width} × {height} px",
        )
        item.setData(_RECORD, record)
        item.setToolTip(_explained(record))
        return item

    def _on_picked(self, item: QListWidgetItem) -> None:
        record: StrokeRecord = item.data(_RECORD)
        go_close(self.bench, record.rect)


def _strokes(state: JobState) -> list[int]:
    """Which strokes there are: equal while no layer has others."""
    return [id(layer.strokes) for layer in walk(state.layers)]


def mended_places(state: JobState) -> tuple[StrokeRecord, ...]:
    """All mends of a job, by layer and in order."""
    return tuple(
        record
        for layer in walk(state.layers)
        for record in layer.strokes
        if record.source is not None
    )


def _explained(record: StrokeRecord) -> str:
    dx, dy = record.source or (0, 0)
    brush = record.brush
    return (
        f"Texture from {abs(dx)} px {'right' if dx > 0 else 'left'}, "
        f"{abs(dy)} px {'down' if dy > 0 else 'up'}.\n"
        f"Brush {brush.size_px:.0f} px, hardness {brush.hardness:.0%}, opacity "
        f"{brush.opacity:.0%}.\nClick to go there."
    )

