"""What the client may want to keep, with crops, each ticked or not; grouped as it is asked."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from lather.actions.findings.finding import is_surveyed
from lather.actions.stages.briefing import keep_or_not
from lather.actions.workbench import Workbench
from lather.assist.briefing import Question, questions
from lather.document.findings import FindingState
from lather.document.state import JobState
from lather.ui.parts.crops import CROP_PX, crop_of
from lather.ui.parts.line_rows import LineRows
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import column_in, label

INTRO = ("Ticked is kept: no assistant touches it, brushes warn, the check proves it. Dimples and "
         "what else belongs to the person: mark it on the picture with Mark to keep.")  # fmt: skip
NO_SURVEY = "Survey the portrait first: moles, scars, freckles and creases are listed here then."
NOTHING = "The survey found nothing that would have to be asked about."
_IDS = Qt.ItemDataRole.UserRole
ROW_PX, MOST_ROWS = 52, 5


class KeptList(QWidget):
    """One heading a question, one row a finding."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self._shown: tuple[object, ...] = ()
        column = column_in(self, GAP_1)
        self.text = label("", "dim")
        self.text.setWordWrap(True)
        column.addWidget(self.text)
        self.list = QListWidget()
        self.list.setIconSize(QSize(CROP_PX, CROP_PX))
        self.list.setAccessibleName("What is kept")
        self.list.setItemDelegate(LineRows(self.list, wraps=True))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemChanged.connect(self._on_changed)
        column.addWidget(self.list)

    def show_state(self, state: JobState) -> None:
        shown = state.findings, state.regions, state.photo
        if self._shown and all(map(lambda a, b: a is b, self._shown, shown)):
            return
        self._shown = shown
        self.list.blockSignals(True)
        self.list.clear()
        found = questions(state)
        for question in found:
            self._add(state, question)
        self.list.blockSignals(False)
        surveyed = is_surveyed(self.bench)
        self.text.setText(INTRO if found else NOTHING if surveyed else NO_SURVEY)
        self.list.setVisible(bool(found))
        n_rows = self.list.count()
        self.list.setFixedHeight(min(n_rows, 2 * MOST_ROWS) * ROW_PX // 2 + ROW_PX)

    def _add(self, state: JobState, question: Question) -> None:
        heading = QListWidgetItem(question.text)
        self._set(heading, question.ids, question.keep)
        self.list.addItem(heading)
        if len(question.ids) == 1:
            heading.setIcon(self._crop(state, question.ids[0]))
            return
        for finding_id in question.ids:
            finding = state.findings.get(finding_id)
            size = f"{finding.length_mm or finding.diameter_mm:.1f} mm"
            item = QListWidgetItem(f"{finding.kind.title}, {size}")
            item.setIcon(self._crop(state, finding_id))
            self._set(item, (finding_id,),
                      state.findings.state(finding) is FindingState.KEPT)  # fmt: skip
            self.list.addItem(item)

    def _crop(self, state: JobState, finding_id: int) -> QIcon:
        return crop_of(state, state.findings.get(finding_id).rect, self.bench.surround)

    @staticmethod
    def _set(item: QListWidgetItem, ids: tuple[int, ...], keep: bool) -> None:
        item.setData(_IDS, ids)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if keep else Qt.CheckState.Unchecked)

    def _on_changed(self, item: QListWidgetItem) -> None:
        try:
            keep_or_not(self.bench, item.data(_IDS), item.checkState() == Qt.CheckState.Checked)
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "That was not decided")
