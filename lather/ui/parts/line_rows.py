"""Rows of a list that say something in several lines, all of them whole."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter
from PyQt6.QtWidgets import QListWidget, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from lather.ui.parts.texts import TOP_LEFT, WRAPPED, draw
from lather.ui.parts.theme import BODY, GAP_1, SMALL, font, line_px, theme

PAD_PX = 4


class LineRows(QStyledItemDelegate):
    """The first line of an item's text in the size of texts, those below it smaller.

    Parameters
    ----------
    wraps : the first line takes as many lines as it needs.
    """

    def __init__(self, view: QListWidget, *, wraps: bool = False) -> None:
        super().__init__(view)
        self._view, self._wraps = view, wraps
        view.setResizeMode(QListWidget.ResizeMode.Adjust)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        first, *rest = self._lines(index)
        height = self._height_of(first, self._room(option, index)) + len(rest) * line_px(SMALL)
        has_picture = index.data(Qt.ItemDataRole.DecorationRole) is not None
        least = self._view.iconSize().height() if has_picture else 0
        return QSize(0, max(round(height), least) + 2 * PAD_PX)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        assert painter is not None
        shown = QStyleOptionViewItem(option)
        self.initStyleOption(shown, index)
        left = self._text_left(shown)
        shown.text = ""
        style = self._view.style()
        assert style is not None
        style.drawControl(QStyle.ControlElement.CE_ItemViewItem, shown, painter, self._view)
        first, *rest = self._lines(index)
        room = QRectF(left, option.rect.top() + PAD_PX, option.rect.right() - left - GAP_1,
                      option.rect.height() - 2 * PAD_PX)  # fmt: skip
        is_on = bool(option.state & QStyle.StateFlag.State_Enabled)
        painter.setPen(QColor(theme().text if is_on else theme().dim))
        painter.setFont(font(BODY))
        room.setHeight(self._height_of(first, room.width()))
        draw(painter, room, first, TOP_LEFT | WRAPPED if self._wraps else TOP_LEFT)
        painter.setPen(QColor(theme().dim))
        painter.setFont(font(SMALL))
        for line in rest:
            room = QRectF(left, room.bottom(), room.width(), line_px(SMALL))
            draw(painter, room, line, TOP_LEFT)

    @staticmethod
    def _lines(index: QModelIndex) -> list[str]:
        return str(index.data(Qt.ItemDataRole.DisplayRole) or "").split("\n")

    def _height_of(self, first: str, room_px: float) -> float:
        if not self._wraps:
            return line_px(BODY)
        box = QRectF(0, 0, max(room_px, 40.0), 1e4)
        needed = QFontMetricsF(font(BODY)).boundingRect(box, int((TOP_LEFT | WRAPPED).value), first)
        return max(needed.height(), line_px(BODY))

    def _room(self, option: QStyleOptionViewItem, index: QModelIndex) -> float:
        shown = QStyleOptionViewItem(option)
        self.initStyleOption(shown, index)
        viewport = self._view.viewport()
        assert viewport is not None
        shown.rect.setWidth(viewport.width())
        return shown.rect.right() - self._text_left(shown) - GAP_1

    def _text_left(self, shown: QStyleOptionViewItem) -> int:
        """Behind the tick and the picture."""
        style = self._view.style()
        assert style is not None
        place = style.subElementRect(QStyle.SubElement.SE_ItemViewItemText, shown, self._view)
        return place.left() + GAP_1
