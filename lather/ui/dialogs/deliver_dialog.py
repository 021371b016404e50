"""The deliver dialog: which pictures are written, how, and where to."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from lather.actions.job.delivering import DELIVERY_CAUTION, Order, planned
from lather.document.job import Job
from lather.errors import LatherError
from lather.files.endings import WRITABLE_BITS
from lather.files.exchange.delivery import (
    ENDINGS,
    PATTERN_WORDS,
    PRESETS,
    Delivery,
    SizeBy,
    delivery_to_json,
)
from lather.files.outputs import Form, Output, check_outputs
from lather.files.photos.metadata import Keep
from lather.settings.store import Settings
from lather.ui.parts.theme import GAP_2, GAP_3, GAP_4, theme
from lather.ui.parts.widgets import label, row_in

FORMATS = tuple((form.label, endings[0]) for form, endings in ENDINGS.items())
LIST_PX, FORM_PX = 190, 420
_AGREED, _USUALLY = Qt.ItemDataRole.UserRole + 1, Qt.ItemDataRole.UserRole + 2
_UNIT = {SizeBy.LONG_SIDE_PX: " px", SizeBy.LONG_SIDE_MM: " mm", SizeBy.PERCENT: " %"}
_FIRST_SIZE = {SizeBy.LONG_SIDE_PX: 2048.0, SizeBy.LONG_SIDE_MM: 300.0, SizeBy.PERCENT: 50.0}


class DeliverDialog(QDialog):
    """Presets on the left, ticked ones are delivered; the picked one's settings beside it."""

    def __init__(self, job: Job, settings: Settings, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Deliver")
        self._job = job
        self._settings = settings
        self._showing = False
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_4, GAP_4, GAP_4, GAP_4)
        column.setSpacing(GAP_3)
        row = QHBoxLayout()
        row.setSpacing(GAP_4)
        row.addLayout(self._presets())
        row.addLayout(self._form(), 1)
        column.addLayout(row)
        column.addLayout(self._folder())
        self.preview = label("", "dim")
        self.preview.setWordWrap(True)
        column.addWidget(self.preview)
        caution = label(DELIVERY_CAUTION, "dim")
        caution.setWordWrap(True)
        column.addWidget(caution)
        buttons = QDialogButtonBox()
        self.deliver = QPushButton("Deliver")
        self.deliver.setProperty("role", "main")
        buttons.addButton(self.deliver, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._on_deliver)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self._load()

    def orders(self) -> list[Order]:
        """The ticked deliveries with their files."""
        folder = Path(self.folder_field.text()).expanduser()
        photo = self._job.state.photo
        return [
            (folder / d.file_name(self._job.title, *d.pixels(photo.width, photo.height)), d)
            for d, ticked in self.deliveries()
            if ticked
        ]

    def deliveries(self) -> list[tuple[Delivery, bool]]:
        """All presets, and whether they are ticked."""
        return [
            (item.data(Qt.ItemDataRole.UserRole), item.checkState() == Qt.CheckState.Checked)
            for item in self._items()
        ]

    # --- parts ---------------------------------------------------------------------------

    def _presets(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(GAP_2)
        self.list = QListWidget()
        self.list.setFixedWidth(LIST_PX)
        self.list.currentRowChanged.connect(lambda row: self._show())
        self.list.itemChanged.connect(lambda item: self._preview())
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        self.add = QPushButton("New")
        self.add.setToolTip("A copy of the picked preset under a name of its own.")
        self.add.clicked.connect(self._on_add)
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(self._on_remove)
        row.addWidget(self.add)
        row.addWidget(self.remove)
        column.addLayout(row)
        return column

    def _form(self) -> QFormLayout:
        form = QFormLayout()
        form.setSpacing(GAP_2)
        self.name_field = QLineEdit()
        self.name_field.setMinimumWidth(FORM_PX)
        self.format_box = _combo(FORMATS)
        self.depth_box = _combo((("8 bit", 8), ("16 bit", 16)))
        self.quality_box = _spin(1, 100, "")
        self.chroma_box = _combo((("half resolution (4:2:0)", False), ("full (4:4:4)", True)))
        self.profile_box = _combo((
            ("convert to sRGB, relative with black point", (True, "relative")),
            ("convert to sRGB, perceptual", (True, "perceptual")),
            ("keep the photo's own", (False, "relative")),
        ))  # fmt: skip
        self.size_by_box = _combo(tuple((by.value, by) for by in SizeBy))
        self.size_box = QDoubleSpinBox()
        self.size_box.setRange(1, 60000)
        self.size_box.setDecimals(0)
        self.dpi_box = _spin(1, 2400, " dpi")
        self.dpi_box.setToolTip(
            "Chosen for a size in millimetres, and where the photo does not say its own resolution."
        )
        self.radius_box = QDoubleSpinBox()
        self.radius_box.setRange(0.3, 5)
        self.radius_box.setSingleStep(0.1)
        self.radius_box.setDecimals(1)
        self.radius_box.setPrefix("radius ")
        self.radius_box.setSuffix(" px at the delivered size")
        self.amount_box = _spin(0, 200, " %")
        self.amount_box.setSpecialValueText("none")
        self.keep_box = _combo((
            ("all of it", Keep.ALL),
            ("all but the location", Keep.NO_LOCATION),
            ("the copyright only", Keep.COPYRIGHT),
        ))  # fmt: skip
        self.pattern_field = QLineEdit()
        words = ", ".join(f"{{{word}}}" for word in PATTERN_WORDS)
        self.pattern_field.setToolTip(f"The file's name without ending. Filled in: {words}")
        for title, field in (
            ("Name", self.name_field),
            ("Format", _row(self.format_box, self.depth_box)),
            ("Quality", self.quality_box),
            ("Colour detail", self.chroma_box),
            ("Colour profile", self.profile_box),
            ("Size", _row(self.size_by_box, self.size_box, self.dpi_box)),
            ("Sharpening", _row(self.amount_box, self.radius_box)),
            ("Metadata", self.keep_box),
            ("File name", self.pattern_field),
        ):
            form.addRow(title, field)
        for box in (self.format_box, self.depth_box, self.chroma_box, self.profile_box,
                    self.size_by_box, self.keep_box):
            box.currentIndexChanged.connect(self._on_edited)
        for spin in (self.quality_box, self.size_box, self.dpi_box, self.radius_box,
                     self.amount_box):
            spin.valueChanged.connect(self._on_edited)
        for line in (self.name_field, self.pattern_field):
            line.textEdited.connect(self._on_edited)
        return form

    def _folder(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(GAP_2)
        row.addWidget(label("Folder"))
        self.folder_field = QLineEdit()
        self.folder_field.textChanged.connect(lambda text: self._preview())
        row.addWidget(self.folder_field, 1)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._on_choose)
        row.addWidget(choose)
        return row

    # --- state ---------------------------------------------------------------------------

    def _load(self) -> None:
        for one in planned(self._job.state.brief, self._settings):
            item = self._append(one.delivery, one.is_ticked, is_agreed=one.is_agreed)
            item.setData(_USUALLY, one.is_usual)
        photo_path, folder = self._job.state.photo.path, self._settings["delivery_folder"]
        beside = self._job.path or photo_path
        if not folder or not Path(folder).is_dir():
            folder = str(beside.parent if beside is not None else Path.home())
        self.folder_field.setText(folder)
        self.list.setCurrentRow(0)

    def _append(
        self, delivery: Delivery, ticked: bool, *, is_agreed: bool = False
    ) -> QListWidgetItem:
        item = QListWidgetItem(delivery.name)
        item.setData(_AGREED, is_agreed)
        if is_agreed:
            item.setToolTip("As the brief says. Changes here are for this delivery alone.")
        item.setData(Qt.ItemDataRole.UserRole, delivery)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        self.list.addItem(item)
        return item

    def _items(self) -> list[QListWidgetItem]:
        items = [self.list.item(row) for row in range(self.list.count())]
        return [item for item in items if item is not None]

    def _show(self) -> None:
        """The picked preset in the form."""
        item = self.list.currentItem()
        if item is None:
            return
        d: Delivery = item.data(Qt.ItemDataRole.UserRole)
        self._showing = True
        if self.name_field.text() != d.name:
            self.name_field.setText(d.name)
        if self.pattern_field.text() != d.pattern:
            self.pattern_field.setText(d.pattern)
        _pick(self.format_box, d.suffix)
        depths = WRITABLE_BITS[d.suffix]
        _pick(self.depth_box, d.depth_bits)
        self.depth_box.setEnabled(len(depths) > 1)
        lossy = d.suffix in (".jpg", ".webp")
        self.quality_box.setEnabled(lossy)
        self.quality_box.setValue(d.quality)
        self.chroma_box.setEnabled(d.suffix == ".jpg")
        _pick(self.chroma_box, d.full_chroma)
        _pick(self.profile_box, (d.to_srgb, d.intent if d.to_srgb else "relative"))
        _pick(self.size_by_box, d.size_by)
        self.size_box.setVisible(d.size_by is not SizeBy.FULL)
        self.size_box.setSuffix(_UNIT.get(d.size_by, ""))
        self.size_box.setMaximum(100 if d.size_by is SizeBy.PERCENT else 60000)
        self.size_box.setValue(d.size)
        photo_says = self._job.state.photo.metadata
        self.dpi_box.setValue(round(d.dpi_for(photo_says)))
        self.dpi_box.setEnabled(d.is_dpi_chosen(photo_says))
        self.radius_box.setValue(d.sharpen_px)
        self.radius_box.setEnabled(d.sharpen > 0)
        self.amount_box.setValue(round(100 * d.sharpen))
        _pick(self.keep_box, d.keep)
        self.remove.setEnabled(self.list.count() > 1)
        self._showing = False
        self._preview()

    def _on_edited(self) -> None:
        item = self.list.currentItem()
        if self._showing or item is None:
            return
        before: Delivery = item.data(Qt.ItemDataRole.UserRole)
        suffix = self.format_box.currentData()
        bits = self.depth_box.currentData()
        to_srgb, intent = self.profile_box.currentData()
        size_by, size = self.size_by_box.currentData(), self.size_box.value()
        if size_by is not before.size_by:
            size = _FIRST_SIZE.get(size_by, 0.0)
        delivery = replace(
            before,
            name=self.name_field.text() or "Delivery",
            suffix=suffix,
            depth_bits=bits if bits in WRITABLE_BITS[suffix] else WRITABLE_BITS[suffix][0],
            quality=self.quality_box.value(),
            full_chroma=self.chroma_box.currentData(),
            to_srgb=to_srgb,
            intent=intent,
            size_by=size_by,
            size=size,
            dpi=float(self.dpi_box.value()) if self.dpi_box.isEnabled() else before.dpi,
            sharpen_px=self.radius_box.value(),
            sharpen=self.amount_box.value() / 100,
            keep=self.keep_box.currentData(),
            pattern=self.pattern_field.text(),
        )
        item.setData(Qt.ItemDataRole.UserRole, delivery)
        item.setText(delivery.name)
        self._show()

    def _preview(self) -> None:
        """What would be written; a wrong pattern in the same place."""
        photo = self._job.state.photo
        try:
            orders = self.orders()
            inputs = [photo.path] if photo.path is not None else []
            check_outputs(inputs, [Output(path, Form.PICTURE) for path, _ in orders])
        except (LatherError, OSError, ValueError) as error:
            self.preview.setText(_in_advance(error))
            self.preview.setStyleSheet(f"color: {theme().warning};")
            self.deliver.setEnabled(False)
            return
        lines = []
        for path, d in orders:
            width, height = d.pixels(photo.width, photo.height)
            there = " · replaces the file that is there" if path.exists() else ""
            lines.append(f"{path.name}   {width} × {height} px{there}")
        if lines:
            lines[0] = f"Writes  {lines[0]}"
        self.preview.setText("\n".join(lines) or "Tick what is to be delivered.")
        replaces = any(path.exists() for path, _ in orders)
        self.preview.setStyleSheet(f"color: {theme().warning if replaces else theme().dim};")
        self.deliver.setEnabled(bool(orders))
        self.deliver.setText("Deliver" if len(orders) < 2 else f"Deliver {len(orders)} pictures")

    def _on_add(self) -> None:
        item = self.list.currentItem()
        copied = item.data(Qt.ItemDataRole.UserRole) if item is not None else PRESETS[0]
        new = self._append(replace(copied, name=f"{copied.name} copy"), False)
        self.list.setCurrentItem(new)
        self.name_field.setFocus()
        self.name_field.selectAll()

    def _on_remove(self) -> None:
        if self.list.count() > 1:
            self.list.takeItem(self.list.currentRow())
            self._preview()

    def _usually(self, item: QListWidgetItem) -> bool:
        """Whether it is ticked where no brief says what to deliver."""
        is_ticked = item.checkState() == Qt.CheckState.Checked
        has_brief = any(other.data(_AGREED) for other in self._items())
        return is_ticked or (has_brief and bool(item.data(_USUALLY)))

    def _on_choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Deliver to", self.folder_field.text())
        if name:
            self.folder_field.setText(name)

    def _on_deliver(self) -> None:
        own = [item for item in self._items() if not item.data(_AGREED)]
        self._settings.set("deliveries", [
            {**delivery_to_json(item.data(Qt.ItemDataRole.UserRole)), "ticked": self._usually(item)}
            for item in own
        ])  # fmt: skip
        self._settings.set("delivery_folder", self.folder_field.text())
        self.accept()


def _in_advance(error: Exception) -> str:
    """Why something could not be written, before it is tried."""
    if not isinstance(error, LatherError):
        return str(error)
    if not error.what.endswith("was not written"):
        return error.sentence()
    return f"{error.why[:1].upper()}{error.why[1:]}; {error.advice}."


def _combo(choices: tuple[tuple[str, object], ...]) -> QComboBox:
    box = QComboBox()
    for title, value in choices:
        box.addItem(title, value)
    return box


def _pick(box: QComboBox, value: object) -> None:
    for index in range(box.count()):
        if box.itemData(index) == value:
            box.setCurrentIndex(index)


def _spin(low: int, high: int, suffix: str) -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setSuffix(suffix)
    return box


def _row(*fields: QWidget) -> QWidget:
    row = QWidget()
    layout = row_in(row, GAP_2)
    for field in fields:
        layout.addWidget(field, 1 if field is fields[0] else 0)
    return row
