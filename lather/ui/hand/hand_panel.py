"""The upper half of the right column: the stage's tools, and below them the brush in the hand or
the card of the active layer; in a stage without a brush what that stage has instead."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.layers.layer import takes_no_paint
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.tools.stages import has_brush
from lather.tools.table import tool
from lather.ui.hand.tool_card import ToolCard
from lather.ui.hand.tool_grid import ToolGrid
from lather.ui.layers.layer_card import LayerCard
from lather.ui.parts.subscriptions import Subscriptions
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_3
from lather.ui.parts.widgets import label
from lather.ui.stages.part import StagePart
from lather.ui.stages.table import row

FOR_THE_CARD = "pick"  # this tool is used with the card in front


class HandPanel(QWidget):
    """Where there is room brush and card are shown both; else one of them, with a tab for each."""

    def __init__(
        self, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__()
        self.bench = bench
        self._actions, self._executor = actions, executor
        self.tools = ToolGrid(bench, actions)
        self.tool_card = ToolCard(bench, actions)
        self.layer_card = LayerCard(bench, executor)
        self._beside: dict[Stage, StagePart] = {}
        self._tool_id = bench.hand.tool
        self._card_in_front = False
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_3, GAP_2, GAP_1, GAP_2)
        column.setSpacing(GAP_2)
        column.addLayout(self._heading())
        column.addWidget(self.tools)
        self._body = QWidget()
        rows = QVBoxLayout(self._body)
        rows.setContentsMargins(0, 0, GAP_2, 0)
        rows.setSpacing(GAP_3)
        rows.addWidget(self.tool_card)
        rows.addWidget(self.layer_card)
        rows.addStretch(1)
        self._rows = rows
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidget(self._body)
        column.addWidget(self.area, 1)
        self._heard = Subscriptions()
        self._heard.to(bench.stage_changed, self._on_stage_changed)
        self._heard.to(bench.looks_changed, self._on_looks_changed)
        self._heard.to(bench.hands.changed, self._on_hand_changed)
        self._heard.to(bench.job_opened, self._on_opened)
        self._heard.to(bench.job_changed, self._on_job_changed)
        self.layer_card.changed.connect(self.arrange)
        self.arrange()

    def close_view(self) -> None:
        self._heard.end()
        self.tools.close_view()
        self.tool_card.close_view()
        self.layer_card.close_view()
        for part in self._beside.values():
            part.close_view()

    def minimumSizeHint(self) -> QSize:
        """The body scrolls."""
        hint = super().minimumSizeHint()
        width = self._body.minimumSizeHint().width() + GAP_3 + GAP_1
        return QSize(max(hint.width(), width), hint.height())

    def wished_px(self) -> int:
        """The height at which most brushes are in sight, in the stage with the most tools."""
        return 2 * GAP_2 + self.tabs[0].sizeHint().height() + self.tools.fullest_px() + (
            self.tool_card.wished_px() + 2 * GAP_2)

    def arrange(self) -> None:
        """Show what is in front."""
        bench, has_card = self.bench, self.layer_card.has_card
        self._card_in_front = bench.looks.card
        brushes = has_brush(bench.stage)
        first = self.tool_card if brushes else self._part()
        both = has_card and first is not None and self._has_room(first)
        in_front = has_card and bench.looks.card
        self.tools.setVisible(brushes)
        for part in (self.tool_card, *self._beside.values()):
            part.setVisible(part is first and (both or not in_front))
        self.layer_card.setVisible(has_card and (both or in_front))
        self.layer_card.show_title(both)
        title = tool(bench.hand.tool).title if brushes else row(bench.stage).beside_title
        self.title.setText(title)
        self.note.setText("on the mask" if brushes and bench.hand.on_mask else "")
        self.tabs[0].setText(title)
        self.tabs[1].setText(self.layer_card.title_text)
        is_tabbed = has_card and not both
        for tab, down in zip(self.tabs, (not in_front, in_front), strict=True):
            tab.setVisible(is_tabbed)
            tab.setChecked(down)
        self.title.setVisible(not is_tabbed)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.arrange()

    def _heading(self) -> QHBoxLayout:
        heading = QHBoxLayout()
        heading.setSpacing(GAP_1)
        heading.setContentsMargins(0, 0, GAP_2, 0)
        self.title, self.note = label("", "title"), label("", "dim")
        self.tabs = QPushButton(), QPushButton()
        group = QButtonGroup(self)
        heading.addWidget(self.title)
        for tab, is_card in zip(self.tabs, (False, True), strict=True):
            tab.setCheckable(True)
            tab.setProperty("role", "tab")
            tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            tab.clicked.connect(lambda checked, is_card=is_card: self.bench.look(card=is_card))
            group.addButton(tab)
            heading.addWidget(tab)
        self.tabs[0].setToolTip("The brush.")
        self.tabs[1].setToolTip("What can be set of the active layer.")
        heading.addStretch(1)
        heading.addWidget(self.note)
        return heading

    def _part(self) -> StagePart | None:
        """What the stage has in the place of a brush."""
        stage, kind = self.bench.stage, row(self.bench.stage).beside
        if kind is not None and stage not in self._beside:
            part = self._beside[stage] = kind(stage, self.bench, self._actions, self._executor)
            part.changed.connect(self.arrange)
            self._rows.insertWidget(1, part)
        return self._beside.get(stage)

    def _has_room(self, first: QWidget) -> bool:
        needed = self._height_of(first) + self._height_of(self.layer_card) + GAP_3
        return self.area.height() >= needed

    def _height_of(self, part: QWidget) -> int:
        layout = part.layout()
        assert layout is not None
        width = max(self.area.width() - GAP_2, part.minimumSizeHint().width())
        return max(layout.totalHeightForWidth(width), layout.totalMinimumSize().height())

    def _on_stage_changed(self) -> None:
        self.bench.look(card=False)
        self.arrange()

    def _on_hand_changed(self) -> None:
        tool_id, before = self.bench.hand.tool, self._tool_id
        self._tool_id = tool_id
        if tool_id not in (before, FOR_THE_CARD):
            self.bench.look(card=False)
        self.arrange()

    def _on_looks_changed(self) -> None:
        if self.bench.looks.card is not self._card_in_front:  # not for every step of a pan
            self.arrange()

    def _on_opened(self) -> None:
        self.bench.look(card=takes_no_paint(self.bench))
        self.arrange()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.active_id != after.active_id:
            self.bench.look(card=takes_no_paint(self.bench))
            self.arrange()
