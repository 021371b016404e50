"""Every text that a window shows, with the room that it needs and has: painted ones as they are
told while the window is drawn, those of the toolkit's widgets as these measure them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, QSizeF, Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QAbstractSpinBox,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QStyle,
    QStyleOptionComboBox,
    QWidget,
)

from lather.ui.parts.texts import Told, listening, tell

BORDER_PX = 4.0  # of a button, with the least that is left beside its text
ICON_GAP_PX = 4.0


@dataclass(frozen=True)
class Shown:
    """A text of a widget; `place` is where its letters lie in the window."""

    widget: QWidget
    told: Told
    place: QRectF

    @property
    def name(self) -> str:
        return f"'{self.told.text}' of {type(self.widget).__name__}"


def shown_texts(window: QWidget) -> list[Shown]:
    """What is in sight, or could be by scrolling up and down."""
    found: list[Shown] = []

    def heard(device: object, told: Told) -> None:
        if isinstance(device, QWidget) and told.text:
            found.append(_shown(window, device, told))

    with listening(heard):
        window.grab()
        for widget in window.findChildren(QWidget):
            for told in _of_widget(widget) if widget.isVisible() else ():
                tell(widget, told)
    return found


def faults(window: QWidget, texts: list[Shown]) -> list[str]:
    """What is cut, leaves its widget, or lies on something else."""
    found = []
    for shown in texts:
        told, size = shown.told, shown.widget.size()
        if not told.is_whole:
            found.append(f"{shown.name} needs {_size(told.needed)}, has {_size(told.given.size())}")
        room = QRectF(0, 0, size.width(), size.height()).adjusted(-1, -1, 1, 1)
        if _scrolls(shown.widget):
            room.setTop(min(room.top(), told.place.top()))
            room.setBottom(max(room.bottom(), told.place.bottom()))
        if not room.contains(told.place) and not told.is_written:
            found.append(f"{shown.name} leaves it: {_rect(told.place)} in {_size(room.size())}")
        found += _out_of_sight(window, shown)
    return found + list(_overlaps(window, texts))


def _out_of_sight(window: QWidget, shown: Shown) -> Iterator[str]:
    """Beyond the edge of what it lies in: to the side, or below where nothing scrolls."""
    outer, scrolls = shown.widget, False
    while outer is not window:
        parent = outer.parentWidget()
        assert parent is not None
        corner = outer.mapTo(window, QPoint(0, 0))
        left, right = shown.place.left() - corner.x(), shown.place.right() - corner.x()
        if left < -1 or right > outer.width() + 1:
            yield f"{shown.name} is cut at the side by {type(outer).__name__}"
            return
        scrolls = scrolls or _scrolls(outer)
        bottom = shown.place.bottom() - corner.y()
        if not scrolls and bottom > outer.height() + 1:
            yield f"{shown.name} is cut below by {type(outer).__name__}"
            return
        outer = parent


def _scrolls(widget: QWidget) -> bool:
    """What it holds may go on below it."""
    return isinstance(widget.parentWidget(), QAbstractScrollArea)


def _overlaps(window: QWidget, texts: list[Shown]) -> Iterator[str]:
    seen = [(shown, _visible(window, shown)) for shown in texts]
    seen = [(shown, place) for shown, place in seen if not place.isEmpty()]
    for number, (one, its) in enumerate(seen):
        for other, place in seen[number + 1 :]:
            both = its.intersected(place)
            if both.width() > 1.5 and both.height() > 2.5:
                yield f"{one.name} lies on {other.name}"


def _visible(window: QWidget, shown: Shown) -> QRectF:
    """What of a text is in sight."""
    widget = shown.widget
    region = widget.visibleRegion().boundingRect()
    corner = widget.mapTo(window, QPoint(0, 0))
    return shown.place.intersected(QRectF(region.translated(corner)))


def _shown(window: QWidget, widget: QWidget, told: Told) -> Shown:
    corner = widget.mapTo(window, QPoint(0, 0))
    return Shown(widget, told, told.place.translated(QPointF(corner)))


def _of_widget(widget: QWidget) -> list[Told]:
    metrics = QFontMetricsF(widget.font())
    match widget:
        case QLabel() if widget.text():
            return [_of_label(widget, metrics)]
        case QComboBox():
            option = QStyleOptionComboBox()
            widget.initStyleOption(option)
            room = widget.style().subControlRect(
                QStyle.ComplexControl.CC_ComboBox, option,
                QStyle.SubControl.SC_ComboBoxEditField, widget)  # fmt: skip
            return [_line(widget.currentText(), metrics, QRectF(room))]
        case QCheckBox():
            needed = QSizeF(widget.sizeHint())
            return [Told(widget.text(), needed, QRectF(widget.rect()), QRectF(widget.rect()))]
        case QAbstractButton() if widget.text():
            return [_of_button(widget, metrics)]
        case QLineEdit() if widget.placeholderText() and not widget.text():
            room = QRectF(widget.rect()).adjusted(9, 0, -9, 0)
            return [_line(widget.placeholderText(), metrics, room)]
        case QAbstractSpinBox():
            room = QRectF(widget.rect()).adjusted(9, 0, -9, 0)
            return [_line(widget.text(), metrics, room)]
    return []


def _of_label(label: QLabel, metrics: QFontMetricsF) -> Told:
    room = QRectF(label.contentsRect())
    align = int(label.alignment().value)
    if label.wordWrap():
        align |= int(Qt.TextFlag.TextWordWrap.value)
    place = metrics.boundingRect(room, align, label.text())
    return Told(label.text(), place.size(), room, place)


def _of_button(button: QAbstractButton, metrics: QFontMetricsF) -> Told:
    icon = button.iconSize().width() + ICON_GAP_PX if not button.icon().isNull() else 0.0
    room = QRectF(button.rect()).adjusted(BORDER_PX + icon, 0, -BORDER_PX, 0)
    return _line(button.text().replace("&", ""), metrics, room)


def _line(text: str, metrics: QFontMetricsF, room: QRectF) -> Told:
    needed = QSizeF(metrics.horizontalAdvance(text), metrics.height())
    place = QRectF(QPointF(0, 0), needed)
    place.moveCenter(room.center())
    return Told(text, needed, room, place)


def whole_rows(rows: list[QWidget], viewport: QWidget) -> int:
    """How many of them are in sight from top to bottom."""
    return sum(
        QRect(viewport.rect()).contains(QRect(row.mapTo(viewport, QPoint(0, 0)), row.size()))
        for row in rows
    )


def _size(size: QSizeF) -> str:
    return f"{size.width():.0f} x {size.height():.0f}"


def _rect(rect: QRectF) -> str:
    return f"{rect.left():.0f}..{rect.right():.0f}, {rect.top():.0f}..{rect.bottom():.0f}"
