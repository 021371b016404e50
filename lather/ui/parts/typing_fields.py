"""Fields that take text have the keyboard to themselves."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)


def takes_text(widget: QWidget) -> bool:
    """True for what a person types into: words, numbers, dates."""
    if isinstance(widget, (QLineEdit, QAbstractSpinBox, QPlainTextEdit, QTextEdit)):
        return widget.isEnabled() and not widget.isReadOnly()
    return isinstance(widget, QComboBox) and widget.isEditable()


def keeps_key(widget: QWidget, event: QKeyEvent) -> bool:
    """True for all that a field that takes text keeps: everything but chords with Ctrl that mean
    nothing to it, such as saving, and the keys of functions."""
    if Qt.Key.Key_F1 <= event.key() <= Qt.Key.Key_F35:
        return False
    if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
        return True
    # The toolkit asks a field by this event whether a chord is its own: paste, undo, all ...
    asked = QKeyEvent(QEvent.Type.ShortcutOverride, event.key(), event.modifiers(), event.text())
    asked.ignore()
    QApplication.sendEvent(widget, asked)
    return asked.isAccepted()
