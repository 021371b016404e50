"""Rows of a list that say something in several lines, all of them whole."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter
from PyQt6.QtWidgets import QListWidget, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from lather.ui.parts.texts import TOP_LEFT, WRAPPED, draw
from lather.ui.parts.theme import BODY, GAP_1, SMALL, Size, font, line_px, theme

PAD_PX = 4


class LineRows(QStyledItemDelegate):
    """The first line of an item's text in the size of texts, those below it smaller. An item whose
    font is italic is dim and italic.

    Parameters
    ----------
    wraps : every line takes as many lines as it needs.
    """

    def __init__(self, view: QListWidget, *, wraps: bool = False) -> None:
        super().__init__(view)
        self._view, self._wraps = view, wraps
        view.setResizeMode(QListWidget.ResizeMode.Adjust)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        room_px = self._room(option, index)
        height = sum(self._height_of(line, room_px, size) for line, size in self._sized(index))
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
        top, width = float(option.rect.top() + PAD_PX), option.rect.right() - left - GAP_1
        own = index.data(Qt.ItemDataRole.FontRole)
        is_italic = isinstance(own, QFont) and own.italic()
        is_on = bool(option.state & QStyle.StateFlag.State_Enabled) and not is_italic
        for line, size in self._sized(index):
            painter.setPen(QColor(theme().text if is_on and size == BODY else theme().dim))
            letters = QFont(font(size))
            letters.setItalic(is_italic)
            painter.setFont(letters)
            height = self._height_of(line, width, size)
            draw(painter, QRectF(left, top, width, height), line,
                 TOP_LEFT | WRAPPED if self._wraps else TOP_LEFT)  # fmt: skip
            top += height

    @staticmethod
    def _sized(index: QModelIndex) -> list[tuple[str, Size]]:
        """The lines, each with the size of its letters."""
        first, *rest = str(index.data(Qt.ItemDataRole.DisplayRole) or "").split("\n")
        return [(first, BODY), *((line, SMALL) for line in rest)]

    def _height_of(self, line: str, room_px: float, size: Size) -> float:
        if not self._wraps:
            return line_px(size)
        box = QRectF(0, 0, max(room_px, 40.0), 1e4)
        flags = int((TOP_LEFT | WRAPPED).value)
        needed = QFontMetricsF(font(size)).boundingRect(box, flags, line)
        return max(needed.height(), line_px(size))

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
