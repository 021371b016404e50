"""The left column: what the stage at hand offers now, and the places mended so far."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from lather.actions.delivering import DELIVERY_CAUTION
from lather.actions.table import Action
from lather.actions.workbench import Workbench
from lather.core.rect import Rect
from lather.document.job import JobState
from lather.document.layers import PixelLayer, Stage
from lather.document.strokes import StrokeRecord
from lather.document.tree import walk
from lather.render.compositor import render_photo
from lather.render.view import screen_bytes
from lather.tools.table import tool
from lather.ui.theme import GAP_2
from lather.ui.widgets import CommandButton, Panel, label

CROP_PX = 44
NEAREST_ZOOM = 1.0
_RECORD = Qt.ItemDataRole.UserRole

STAGE_TEXTS = {
    Stage.BRIEF: "The brief is not built yet. The delivery size is asked for under Deliver.",
    Stage.CLEAN: "Measuring the portrait for findings is not built yet. Mend by hand with "
    "Mend spot (D): paint over a blemish or click on it.",
    Stage.EVEN: "Even is not built yet: nothing here evens tone by itself. Paint colour on a "
    "layer of its own works.",
    Stage.SCULPT: "Sculpt is not built yet. Until then: Paint colour on a soft-light layer.",
    Stage.FEATURES: "Features is not built yet: no tools for eyes, teeth and lips so far.",
    Stage.HAIR: "Hair is not built yet. Single stray hairs on skin can be mended by hand.",
    Stage.SHAPE: "Shape is not built yet: nothing here moves or resizes features.",
    Stage.FINISH: "Finish is not built yet. A merged copy on top can be made from the "
    "Layer menu.",
    Stage.DELIVER: f"Write the finished picture as JPEG, PNG or TIFF.\n\n{DELIVERY_CAUTION}",
}


class Worklist(Panel):
    """Text for the stage, and a list of mended places that leads back to each of them."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__("Worklist")
        self.bench = bench
        self.text = label("", "")
        self.text.setWordWrap(True)
        self.column.addWidget(self.text)
        self.deliver = CommandButton(actions["job.deliver"], bench)
        self.column.addWidget(self.deliver)
        self.column.addSpacing(GAP_2)
        self.heading = label("", "dim")
        self.column.addWidget(self.heading)
        self.list = QListWidget()
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
        self.reset()

    def reset(self) -> None:
        self.list.clear()
        self._records = ()
        self._on_stage_changed()
        self._follow()

    def close_view(self) -> None:
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.stage_changed.disconnect(self._on_stage_changed)

    def _on_stage_changed(self) -> None:
        stage = self.bench.stage
        self.title.setText(f"{stage.title}" if stage is not Stage.CLEAN else "Worklist")
        self.text.setText(STAGE_TEXTS[stage])
        self.deliver.setVisible(stage is Stage.DELIVER)
        self.deliver.refresh()
        self._show_list()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
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
        shown = self.bench.stage is Stage.CLEAN and n_mended > 0
        self.list.setVisible(shown)
        self.heading.setVisible(shown)
        self.heading.setText("MENDED PLACES")
        self.note.setText(f"{n_mended} mended" if shown else "")
        self.column.setStretch(self._spring, 0 if shown else 1)

    def _row(self, number: int, record: StrokeRecord) -> QListWidgetItem:
        width, height = record.rect.width, record.rect.height
        title = tool(record.tool).title if record.mode == "all" else f"Mended, {record.mode} only"
        item = QListWidgetItem(self._crop(record.rect), f"{number}  {title}\n{width} × {height} px")
        item.setData(_RECORD, record)
        item.setToolTip(_explained(record))
        return item

    def _crop(self, rect: Rect) -> QIcon:
        """The place as it was in the photo."""
        state = self.bench.state
        side = max(rect.width, rect.height, CROP_PX)
        centre_x, centre_y = (rect.x0 + rect.x1) // 2, (rect.y0 + rect.y1) // 2
        square = Rect(centre_x - side // 2, centre_y - side // 2,
                      centre_x + side // 2, centre_y + side // 2)
        level = max(0, (side // (2 * CROP_PX)).bit_length() - 1)
        part = square.at_level(level)
        pixels = screen_bytes(state, render_photo(state.photo, part, level), self.bench.surround)
        image = QImage(pixels.data, part.width, part.height, 4 * part.width,  # type: ignore[call-overload]
                       QImage.Format.Format_RGB32)
        scaled = image.scaled(CROP_PX, CROP_PX, Qt.AspectRatioMode.IgnoreAspectRatio,
                              Qt.TransformationMode.SmoothTransformation)
        return QIcon(QPixmap.fromImage(scaled))

    def _on_picked(self, item: QListWidgetItem) -> None:
        record: StrokeRecord = item.data(_RECORD)
        geometry = self.bench.geometry
        if geometry is not None and geometry.zoom < NEAREST_ZOOM:
            self.bench.zoom_to(NEAREST_ZOOM)
        self.bench.centre_on(record.rect)


def mended_places(state: JobState) -> tuple[StrokeRecord, ...]:
    """All mends of a job, by layer and in order."""
    return tuple(
        record
        for layer in walk(state.layers)
        if isinstance(layer, PixelLayer)
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

