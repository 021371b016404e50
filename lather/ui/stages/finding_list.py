"""The findings of a stage as rows: what, how big, how strong, what was decided."""

from __future__ import annotations

import time
from collections import deque

from PyQt6.QtCore import QPoint, QSize, Qt, QTimer
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.findings.finding import decide, is_surveyed, mend
from lather.actions.findings.walking import look_at
from lather.actions.looking.under import of_finding
from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding, Kind
from lather.document.findings import Findings, FindingState
from lather.document.state import JobState
from lather.ui.parts.context_menu import show_menu
from lather.ui.parts.crops import CROP_PX, crop_of
from lather.ui.parts.line_rows import LineRows
from lather.ui.parts.theme import GAP_2
from lather.ui.parts.widgets import CommandButton, column_in, label

FILTERS: tuple[tuple[str, FindingState | None], ...] = (
    ("Open", FindingState.OPEN), ("Done", FindingState.DONE), ("Kept", FindingState.KEPT),
    ("Skipped", FindingState.SKIPPED), ("All", None),
)  # fmt: skip
ORDERS = ("by severity", "by size", "from the top")
CROP_RADII = 3.0
LEAST_CLIPPED = 0.005
LEAST_LIST_PX = CROP_PX + 10  # a row
CROPPING_S = 0.006  # of a turn of the loop, at most
_ID = Qt.ItemDataRole.UserRole


class FindingList(QWidget):
    """Rows that lead to their findings; several can be picked and decided together."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self.bench = bench
        self._without_crop: deque[tuple[QListWidgetItem, Rect]] = deque()
        blank = QPixmap(CROP_PX, CROP_PX)
        blank.fill(Qt.GlobalColor.transparent)
        self._no_crop = QIcon(blank)
        self._cropping = QTimer(self)
        self._cropping.timeout.connect(self._crop_some)
        column = column_in(self, GAP_2)
        choices = QHBoxLayout()
        self.filter = QComboBox()
        self.filter.setAccessibleName("Which findings")
        for title, _ in FILTERS:
            self.filter.addItem(title)
        self.filter.currentIndexChanged.connect(lambda index: self.reset())
        self.order = QComboBox()
        self.order.setAccessibleName("In what order")
        self.order.addItems(ORDERS)
        self.order.currentIndexChanged.connect(lambda index: self.reset())
        for box in (self.filter, self.order):
            box.setProperty("role", "tight")
        choices.addWidget(self.filter)
        choices.addWidget(self.order, 1)
        column.addLayout(choices)
        self.list = QListWidget()
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setIconSize(QSize(CROP_PX, CROP_PX))
        self.list.setUniformItemSizes(True)
        self.list.setItemDelegate(LineRows(self.list))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.setAccessibleName("Findings")
        self.list.itemClicked.connect(self._on_clicked)
        self.list.itemActivated.connect(self._on_clicked)
        self.list.itemSelectionChanged.connect(self._show_count)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._show_menu)
        self.list.setMinimumHeight(LEAST_LIST_PX)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        self.buttons = [
            _DecideButton(actions["finding.mend"], bench, self, "Mend"),
            _DecideButton(actions["finding.keep"], bench, self, "Keep"),
            _DecideButton(actions["finding.skip"], bench, self, "Skip"),
        ]
        for button in self.buttons:
            button.setProperty("role", "compact")
            row.addWidget(button, 1)
        column.addLayout(row)
        self.mend_all = CommandButton(actions["finding.mend_all"], bench, text="Mend all")
        self.other = CommandButton(actions["finding.other_source"], bench)
        row = QHBoxLayout()
        for command in (self.mend_all, self.other):
            command.setProperty("role", "compact")
            row.addWidget(command, 1)
        column.addLayout(row)
        self.empty = label("", "dim")
        self.empty.setWordWrap(True)
        column.addWidget(self.empty)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.walk.moved.connect(self._on_moved)
        bench.stage_changed.connect(self._on_stage_changed)
        self._on_stage_changed()

    def close_view(self) -> None:
        self._cropping.stop()
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.walk.moved.disconnect(self._on_moved)
        self.bench.stage_changed.disconnect(self._on_stage_changed)

    @property
    def findings(self) -> Findings:
        return self.bench.state.findings if self.bench.job is not None else Findings()

    def picked(self) -> list[Finding]:
        """The findings of the selected rows."""
        return [self.findings.get(item.data(_ID)) for item in self.list.selectedItems()]

    def reset(self) -> None:
        """Read the findings back."""
        self.list.blockSignals(True)
        self._without_crop.clear()
        self.list.clear()
        shown = self._shown()
        for doubtful in (False, True):
            rows = [finding for finding in shown if finding.doubtful is doubtful]
            if doubtful and rows:
                self.list.addItem(_heading(f"DOUBTFUL ({len(rows)})", "not part of Mend all"))
            for finding in rows:
                self.list.addItem(self._row(finding))
        self.list.blockSignals(False)
        state = FILTERS[self.filter.currentIndex()][1]
        nothing = is_surveyed(self.bench) and self.list.count() == 0
        done = state is FindingState.OPEN and bool(self.findings.of_stage(self.bench.stage.value))
        self.empty.setText("Every finding is decided." if done else "There are none of these.")
        self.empty.setVisible(nothing)
        self.list.setVisible(not nothing or table.row(self.bench.stage).at_once)
        self._on_moved()
        self._show_count()

    def _shown(self) -> list[Finding]:
        state = FILTERS[self.filter.currentIndex()][1]
        findings, stage = self.findings, self.bench.stage.value
        shown = [f for f in findings.of_stage(stage)
                 if state is None or findings.state(f) is state]  # fmt: skip
        if self.order.currentIndex() == 1:
            shown.sort(key=lambda finding: -max(finding.diameter_mm, finding.length_mm))
        elif self.order.currentIndex() == 2:
            shown.sort(key=lambda finding: finding.y)
        return shown

    def _row(self, finding: Finding) -> QListWidgetItem:
        state = self.findings.state(finding)
        place = Rect.around(finding.x, finding.y, CROP_RADII * finding.reach_px / 2)
        name = f"{finding.kind.title}, {_size_text(finding)}"
        more = " · ".join((state.title, *_more(finding)))
        item = QListWidgetItem(
            f"{finding.kind.title}\n{_size_text(finding)} · {_measured(finding)}\n{more}"
        )
        item.setIcon(self._no_crop)
        self._without_crop.append((item, place))
        self._cropping.start()
        item.setData(_ID, finding.id)
        item.setToolTip(
            f"{name}\n{2 * finding.radius_px:.0f} px across, with its surround "
            f"{2 * finding.reach_px:.0f} px.\nAgainst the skin around: "
            f"L* {finding.contrast_l:+.1f}, a* {finding.contrast_a:+.1f}. "
            f"Certainty {finding.certainty:.0%}."
            + ("" if finding.stands_free else
               f"\n{finding.rim_broken:.0%} of its rim crosses an edge: copy along it weakly, "
               "a mend would smear.")
        )
        return item

    def _crop_some(self) -> None:
        """Crops for some rows; the next turn of the loop goes on: hundreds of them at once would
        hold it up."""
        until_s = time.perf_counter() + CROPPING_S
        while self._without_crop and time.perf_counter() < until_s:
            item, place = self._without_crop.popleft()
            item.setIcon(crop_of(self.bench.state, place, self.bench.surround))
        if not self._without_crop:
            self._cropping.stop()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.findings != after.findings:
            self.reset()
        else:
            self._show_count()

    def _on_stage_changed(self) -> None:
        at_once = table.row(self.bench.stage).at_once
        self.buttons[0].setText("Mend" if at_once else "Propose")
        self.mend_all.setText("Mend all" if at_once else "Propose all")
        self.other.setVisible(at_once)
        self.reset()

    def _on_clicked(self, item: QListWidgetItem) -> None:
        look_at(self.bench, self.findings.get(item.data(_ID)))

    def _show_menu(self, at: QPoint) -> None:
        """The commands of the row under a right click."""
        item = self.list.itemAt(at)
        if item is not None and item.data(_ID) is not None:
            under = of_finding(self.bench, self.findings.get(item.data(_ID)))
            show_menu(self.bench, under, self, self.list.mapToGlobal(at))

    def _on_moved(self) -> None:
        """Show which finding is looked at."""
        for row in range(self.list.count()):
            item = self.list.item(row)
            assert item is not None
            if item.data(_ID) is not None and item.data(_ID) == self.bench.walk.finding_id:
                if not item.isSelected():
                    self.list.setCurrentItem(item)
                self.list.scrollToItem(item)
        self._show_count()

    def _show_count(self) -> None:
        for button in self.buttons:
            button.refresh()
        self.mend_all.refresh()
        self.other.refresh()


def _heading(title: str, what: str) -> QListWidgetItem:
    """A row above others; it cannot be picked."""
    item = QListWidgetItem(f"{title}\n{what}")
    item.setFlags(Qt.ItemFlag.NoItemFlags)
    return item


def _measured(finding: Finding) -> str:
    """What is told of a finding beside its size: of patches, how far the skin is off."""
    if finding.kind is Kind.SHINE:
        return f"L* {finding.contrast_l:+.0f}"
    if finding.kind.is_patch:
        return f"a* {finding.contrast_a:+.1f}"
    return f"severity {finding.severity:.0f}"


def _more(finding: Finding) -> list[str]:
    """What else speaks for or against a way to answer it."""
    if finding.kind.is_patch:
        return [f"{finding.clipped:.0%} clipped"] if finding.clipped >= LEAST_CLIPPED else []
    return [] if finding.stands_free else ["edge"]


def _size_text(finding: Finding) -> str:
    if finding.kind.is_patch:
        return f"{finding.area_mm2 / 100:.1f} cm²"
    if finding.path_px:
        return f"{finding.length_mm:.0f} mm"
    return f"{finding.diameter_mm:.1f} mm"


class _DecideButton(CommandButton):
    """A command of the worklist that also acts on several picked rows at once."""

    def __init__(
        self, action: Action, bench: Workbench, findings: FindingList, text: str
    ) -> None:
        self._findings = findings
        super().__init__(action, bench, text=text)

    def refresh(self) -> None:
        super().refresh()
        if hasattr(self._findings, "buttons") and self._findings.picked():
            self.setEnabled(True)

    def _run(self) -> None:
        picked = self._findings.picked()
        if len(picked) < 2:
            super()._run()
            return
        try:
            if self.action_id == "finding.mend":
                mend(self._bench, picked)
            else:
                kept = self.action_id == "finding.keep"
                decide(self._bench, picked, FindingState.KEPT if kept else FindingState.SKIPPED)
        except Exception as error:  # noqa: BLE001 - the edge
            self._bench.report(error, f"'{self.text()}' failed")
        self.refresh()
