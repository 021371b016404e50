"""The layers, topmost first, under the stage they were made in."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QMenu,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.assist.stages import title as stage_title
from lather.core.blend.modes import BlendMode
from lather.document import edits
from lather.document.access import locked_by
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer, Layers
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.unknown import UnknownLayer
from lather.document.state import JobState
from lather.document.tree import siblings, walk
from lather.ui.layers.layer_row import PHOTO, LayerRow, row_height_px
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_3
from lather.ui.parts.widgets import CommandButton, Panel, run_action

BUTTONS = ("layer.new", "layer.group", "mask.add", "layer.limits", "layer.delete")
MODE_LETTERS = 4  # at least; it takes the room there is
MENU_GROUPS = ("Layer", "Mask")


class LayerPanel(Panel):
    """The list of layers and what can be done with the active one."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__("Layers")
        self.bench = bench
        self.rows: dict[int, LayerRow] = {}
        self._actions = actions
        self._shape: object = None
        self._folded: set[int] = set()  # ids of groups
        self._buttons: list[CommandButton] = []
        self.column.setContentsMargins(GAP_3, GAP_2, GAP_1, GAP_2)
        self.column.setSpacing(GAP_1)
        self.mode = self._add_heading()
        self._list = QWidget()
        self._list_column = QVBoxLayout(self._list)
        self._list_column.setContentsMargins(0, 0, GAP_1, 0)
        self._list_column.setSpacing(0)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setWidget(self._list)
        self.column.addWidget(self._area, 1)
        self._seen_id = 0  # the active layer that was scrolled to
        bar = self._area.verticalScrollBar()
        assert bar is not None
        bar.rangeChanged.connect(self._scroll_to_active)  # the rows have their places by then
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.hands.changed.connect(self._on_hand_changed)
        self._on_mask = bench.hands.on_mask
        self.reset()

    def height_of_rows_px(self, n_rows: int) -> int:
        """As high as so many rows are in sight."""
        return n_rows * row_height_px() + self.column.contentsMargins().top() + (
            self.column.contentsMargins().bottom() + self._heading_px() + self.column.spacing())

    def reset(self) -> None:
        """Arrange the list anew, with the rows that are there already."""
        while self._list_column.count():
            self._list_column.takeAt(0)
        rows = self.rows
        self.rows = {}
        job = self.bench.job
        self._shape = None if job is None else _shape(job.state.layers, self._folded)
        above = ""
        for layer in reversed(job.state.layers) if job is not None else ():
            heading = PHOTO if isinstance(layer, PhotoLayer) else stage_title(layer.stage)
            self._add_rows(layer, 0, rows, heading if heading != above else "")
            above = heading
        self._list_column.addStretch(1)
        for row in rows.values():
            row.hide()  # deletion may come after the next paint
            row.deleteLater()
        self._seen_id = 0
        self._refresh_active()

    def close_view(self) -> None:
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.hands.changed.disconnect(self._on_hand_changed)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if _shape(after.layers, self._folded) != self._shape:
            self.reset()
            return
        layers = {layer.id: layer for layer in walk(after.layers)}
        touched = {before.active_id, after.active_id} if before.active_id != after.active_id else ()
        for layer_id, row in self.rows.items():
            if row.layer is not layers[layer_id] or layer_id in touched:
                row.show_layer(layers[layer_id])
        self._refresh_active()

    def _on_hand_changed(self) -> None:
        if self.bench.hands.on_mask != self._on_mask:  # the active row shows where brushes work
            self._on_mask = self.bench.hands.on_mask
            for row in self.rows.values():
                row.update()

    def _refresh_active(self) -> None:
        job = self.bench.job
        active = job.state.active if job is not None else None
        fixed = job is None or active is None or active.IS_FIXED or (
            isinstance(active, UnknownLayer) or locked_by(job.state, active.id) is not None
        )
        self.mode.setEnabled(not fixed)
        self.mode.blockSignals(True)
        self.mode.setCurrentText(active.mode.value if active is not None else "normal")
        self.mode.blockSignals(False)
        for button in self._buttons:
            button.refresh()
        if active is not None and active.id not in self.rows:
            self._unfold_to(active.id)
        elif active is not None and active.id != self._seen_id:
            self._seen_id = active.id
            self._scroll_to_active()

    def _scroll_to_active(self) -> None:
        row = self.rows.get(self._seen_id)
        if row is not None:
            self._area.ensureWidgetVisible(row, 0, 2)

    def _add_rows(
        self, layer: Layer, depth: int, earlier: dict[int, LayerRow], heading: str = ""
    ) -> None:
        """The rows of a layer and its children; those there were are taken from `earlier`."""
        row = earlier.pop(layer.id, None)
        if row is None:
            row = LayerRow(self.bench, layer, depth, self._guarded)
            row.dropped.connect(self._on_dropped)
            row.menu_wanted.connect(self._show_menu)
            row.fold_wanted.connect(self._fold)
        else:
            row.show_layer(layer, depth)
        self.rows[layer.id] = row
        self._list_column.addWidget(row)
        is_folded = layer.id in self._folded
        row.show_heading(heading, is_folded)
        for child in reversed(layer.children) if not is_folded else ():
            self._add_rows(child, depth + 1, earlier)

    def _fold(self, layer_id: int) -> None:
        """Show what is in a group, or only its own row."""
        self._folded ^= {layer_id}
        self.reset()

    def _unfold_to(self, layer_id: int) -> None:
        """The layer in work is always in the list."""
        for layer in walk(self.bench.state.layers):
            if any(inner.id == layer_id for inner in walk(layer.children)):
                self._folded.discard(layer.id)
        self.reset()

    def _add_heading(self) -> QComboBox:
        """Beside the title: the active layer's mode, and what can be done with it."""
        row = self.heading
        row.takeAt(1)  # the room between title and note: the mode takes it
        row.setSpacing(2)
        mode = QComboBox()
        mode.addItems([entry.value for entry in BlendMode])
        mode.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        mode.setMinimumContentsLength(MODE_LETTERS)
        mode.setProperty("role", "tight")
        mode.setAccessibleName("Blend mode")
        mode.setToolTip("How the active layer mixes with what lies below.")
        mode.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        mode.currentTextChanged.connect(self._on_mode_chosen)
        row.addWidget(mode, 1)
        for action_id in BUTTONS:
            self._buttons.append(CommandButton(self._actions[action_id], self.bench, text=""))
            self._buttons[-1].setProperty("role", "tight")
            row.addWidget(self._buttons[-1])
        return mode

    def _heading_px(self) -> int:
        return self.heading.sizeHint().height()

    def _on_mode_chosen(self, name: str) -> None:
        active_id = self.bench.state.active_id
        self._guarded(
            lambda: self.bench.change("Blend mode", edits.set_mode, active_id, BlendMode(name))
        )
        self._refresh_active()  # one that was refused is not shown

    def _on_dropped(self, layer_id: int, place: QPointF) -> None:
        """A row was dragged to another row: the upper half means above it."""
        for other_id, row in self.rows.items():
            local = row.mapFromGlobal(place)
            if other_id == layer_id or not row.rect().contains(local.toPoint()):
                continue
            upper = local.y() < row.height() / 2
            self._guarded(lambda: self._move(layer_id, other_id, upper))  # noqa: B023
            return

    def _move(self, layer_id: int, other_id: int, above: bool) -> None:
        state = self.bench.state
        other = state.layer(other_id)
        if above or isinstance(other, PhotoLayer):
            self.bench.change("Move layer", edits.move, layer_id, above_id=other_id)
        elif isinstance(other, GroupLayer):
            self.bench.change("Move layer", edits.move_into, layer_id, group_id=other_id)
        else:
            among = siblings(state.layers, other_id)
            index = next(i for i, layer in enumerate(among) if layer.id == other_id)
            if index > 0 and among[index - 1].id != layer_id:
                self.bench.change(
                    "Move layer", edits.move, layer_id, above_id=among[index - 1].id
                )

    def _show_menu(self, place: QPointF) -> None:
        menu = QMenu(self)
        for group in MENU_GROUPS:
            menu.addSeparator()
            for action in self._actions.values():
                if action.menu == group and action.enabled(self.bench):
                    entry = menu.addAction(action.title)
                    assert entry is not None
                    entry.triggered.connect(
                        lambda checked, action=action: run_action(action, self.bench)
                    )
        menu.popup(place.toPoint())

    def _guarded(self, work: Callable[[], object]) -> None:
        """Run something that may be refused; the refusal becomes a sentence."""
        try:
            work()
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "Changing the layer failed")


def _shape(layers: Layers, folded: set[int]) -> object:
    """What decides which rows there are: ids, nesting, stages, order, and what is folded."""
    return tuple(
        (layer.id, layer.stage, layer.id in folded or _shape(layer.children, folded))
        for layer in layers
    )
