"""The places mended by hand, before there is a survey."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.looking.view import go_close
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tree import walk
from lather.render.worker import Executor
from lather.tools.table import tool
from lather.ui.parts.crops import CROP_PX, crop_of
from lather.ui.parts.line_rows import LineRows
from lather.ui.parts.theme import GAP_2
from lather.ui.parts.widgets import column_in, label
from lather.ui.stages.part import StagePart

_RECORD = Qt.ItemDataRole.UserRole


class MendedPlaces(StagePart):
    """A row a mend; a click leads to it."""

    FILLS = True

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        column = column_in(self, GAP_2)
        column.addWidget(label("MENDED PLACES", "dim"))
        self.list = QListWidget()
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setIconSize(QSize(CROP_PX, CROP_PX))
        self.list.setUniformItemSizes(True)
        self.list.setItemDelegate(LineRows(self.list))
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.setAccessibleName("Mended places")
        self.list.itemActivated.connect(self._on_picked)
        self.list.itemClicked.connect(self._on_picked)
        column.addWidget(self.list, 1)
        self._records: tuple[StrokeRecord, ...] = ()
        self.heard.to(bench.job_opened, self.reset)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.reset()

    def is_wanted(self) -> bool:
        return bool(self._records) and not is_surveyed(self.bench)

    def note(self) -> str:
        return f"{len(self._records)} mended"

    def reset(self) -> None:
        self.list.clear()
        self._records = ()
        self._follow()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if _strokes(before) != _strokes(after):
            self._follow()

    def _follow(self) -> None:
        """Bring the list up to date; usually one row is added or taken away."""
        job = self.bench.job
        records = mended_places(job.state) if job is not None else ()
        if records == self._records:
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
        self.changed.emit()

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
