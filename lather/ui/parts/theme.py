"""Colours, fonts and style of the window. Greys are exactly neutral: R = G = B."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import Enum
from functools import cache

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PyQt6.QtWidgets import QApplication

from lather.paths import ASSETS

FONT_FAMILY = "Inter"
GAP_1, GAP_2, GAP_3, GAP_4 = 4, 8, 12, 16
RADIUS_PX = 6
FONT_FILES = ("Inter-Regular.otf", "Inter-Medium.otf", "Inter-SemiBold.otf")


class Size(Enum):
    """Of a text: in pixels as it comes, and a step larger."""

    BODY = (13, 14)
    SMALL = (11, 12)


BODY, SMALL = Size.BODY, Size.SMALL
LINE = 1.25  # a line's height, of the text's size


@dataclass(frozen=True)
class Theme:
    """The colours by what they are for."""

    window: str
    card: str
    raised: str
    line: str
    text: str
    dim: str
    accent: str
    on_accent: str
    accent_soft: str
    warning: str
    groove: str


DARK = Theme(
    window="#222222", card="#2b2b2b", raised="#373737", line="#3c3c3c", text="#ededed",
    dim="#a0a0a0", accent="#8fd3c1", on_accent="#12211d", accent_soft="#3d5f57",
    warning="#e0a84a", groove="#161616",
)  # fmt: skip
LIGHT = Theme(
    window="#dedede", card="#ececec", raised="#ffffff", line="#bdbdbd", text="#1c1c1c",
    dim="#575757", accent="#2f7f6d", on_accent="#ffffff", accent_soft="#a9d6ca",
    warning="#8a5a00", groove="#b4b4b4",
)  # fmt: skip
CONTRAST = Theme(
    window="#000000", card="#101010", raised="#262626", line="#bababa", text="#ffffff",
    dim="#dddddd", accent="#a9f0dd", on_accent="#000000", accent_soft="#2f6b5d",
    warning="#ffc766", groove="#000000",
)  # fmt: skip

_current = DARK
_larger = False


def theme() -> Theme:
    """The theme in force."""
    return _current


def text_px(size: Size) -> int:
    """As the person wants texts."""
    return size.value[_larger]


def line_px(size: Size) -> int:
    """The height of a line of text."""
    return math.ceil(LINE * text_px(size))


def choose(appearance: str) -> Theme:
    """The theme for a preference; 'desktop' asks the desktop."""
    if appearance == "desktop":
        hints = QGuiApplication.styleHints()
        light = hints is not None and hints.colorScheme() == Qt.ColorScheme.Light
        return LIGHT if light else DARK
    return {"dark": DARK, "light": LIGHT, "contrast": CONTRAST}[appearance]


def load_fonts() -> None:
    for name in FONT_FILES:
        QFontDatabase.addApplicationFont(str(ASSETS / "fonts" / name))


def font(size: Size = BODY, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The application's font, with figures of equal width."""
    return _font(text_px(size), weight)


@cache
def _font(size_px: int, weight: QFont.Weight) -> QFont:
    result = QFont(FONT_FAMILY)
    result.setPixelSize(size_px)
    result.setWeight(weight)
    result.setFeature(QFont.Tag("tnum"), 1)
    return result


def apply(application: QApplication, appearance: str, *, larger: bool = False) -> None:
    """Dress the whole application; with larger texts if they are wanted."""
    global _current, _larger
    _current, _larger = choose(appearance), larger
    t = _current
    application.setStyle("Fusion")
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, t.window),
        (QPalette.ColorRole.Base, t.card),
        (QPalette.ColorRole.AlternateBase, t.raised),
        (QPalette.ColorRole.Button, t.card),
        (QPalette.ColorRole.WindowText, t.text),
        (QPalette.ColorRole.Text, t.text),
        (QPalette.ColorRole.ButtonText, t.text),
        (QPalette.ColorRole.PlaceholderText, t.dim),
        (QPalette.ColorRole.ToolTipBase, t.raised),
        (QPalette.ColorRole.ToolTipText, t.text),
        (QPalette.ColorRole.Highlight, t.accent),
        (QPalette.ColorRole.HighlightedText, t.on_accent),
    ):
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(t.dim))
    application.setPalette(palette)
    application.setFont(font())
    application.setStyleSheet(_style(t))


def _style(t: Theme) -> str:
    small_px = text_px(SMALL)
    arrow = (ASSETS / "icons" / "chevron.svg").as_posix()
    tick = (ASSETS / "icons" / "tick.svg").as_posix()
    return f"""
    QWidget {{ color: {t.text}; }}
    QMainWindow, QDialog, QMenu {{ background: {t.window}; }}
    QToolTip {{ background: {t.raised}; color: {t.text}; border: 1px solid {t.line};
        padding: 4px 8px; }}
    QMenu {{ border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 4px 24px 4px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenu::item:disabled {{ color: {t.dim}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QLabel[role="dim"] {{ color: {t.dim}; font-size: {small_px}px; }}
    QLabel[role="title"] {{ font-weight: 600; }}
    QFrame[role="card"] {{ background: {t.card}; border-radius: {RADIUS_PX}px; }}
    QPushButton, QToolButton {{ background: {t.card}; border: 1px solid transparent;
        border-radius: {RADIUS_PX}px; padding: 4px 10px; min-height: 18px; }}
    QToolButton[role="icon"], QToolButton[role="compact"], QPushButton[role="compact"] {{
        padding: 4px 5px;
    }}
    QToolButton[role="named"] {{ padding: 2px 5px; min-height: 16px;
        font-size: {small_px}px; }}
    QToolButton[role="lens"] {{ padding: 2px 3px; min-height: 16px; font-size: {small_px}px; }}
    QPushButton[role="tab"] {{ padding: 2px 8px; min-height: 16px; font-weight: 600; }}
    QToolButton[role="fold"] {{ background: transparent; border-color: transparent;
        padding: 0; min-height: 16px; color: {t.dim}; font-size: {small_px}px; }}
    QToolButton[role="fold"]:hover {{ color: {t.text}; }}
    QPushButton[role="key"] {{ padding: 1px 6px; min-height: 14px; color: {t.dim};
        text-align: left; }}
    QLabel[role="chip"] {{ color: {t.dim}; font-size: {small_px}px; background: {t.card};
        border-radius: {RADIUS_PX}px; padding: 2px 8px; }}
    QLabel[role="caution"] {{ color: {t.warning}; font-size: {small_px}px; }}
    QLabel[role="warning"] {{ color: {t.warning}; }}
    QSplitter::handle {{ background: {t.window}; }}
    QSplitter::handle:hover {{ background: {t.line}; }}
    QPushButton:hover, QToolButton:hover {{ background: {t.raised}; }}
    QPushButton:pressed, QToolButton:pressed {{ background: {t.groove}; }}
    QPushButton:checked, QToolButton:checked {{ background: {t.accent_soft};
        border-color: {t.accent}; }}
    QPushButton:focus, QToolButton:focus {{ border-color: {t.accent}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.dim}; background: transparent;
        border-color: {t.line}; }}
    QPushButton[role="main"] {{ background: {t.accent}; color: {t.on_accent};
        font-weight: 600; }}
    QPushButton[role="main"]:disabled {{ color: {t.dim}; background: transparent; }}
    QToolButton::menu-indicator {{ image: none; }}
    QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox {{ background: {t.card};
        border: 1px solid {t.line};
        border-radius: {RADIUS_PX}px; padding: 3px 8px; min-height: 20px;
        selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
    QPlainTextEdit {{ background: {t.card}; border: 1px solid {t.line};
        border-radius: {RADIUS_PX}px; padding: 3px 4px;
        selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
    QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus,
    QPlainTextEdit:focus {{
        border-color: {t.accent}; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox[role="tight"] {{ padding: 2px 2px 2px 6px; }}
    QComboBox[role="tight"]::drop-down {{ width: 16px; }}
    QToolButton[role="tight"] {{ padding: 3px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 12px; }}
    QSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::up-button,
    QDoubleSpinBox::down-button {{
        width: 0; border: none; }}
    QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.line}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QListWidget, QTableWidget {{ background: {t.card}; border: 1px solid {t.line};
        border-radius: {RADIUS_PX}px; outline: none; }}
    QListWidget::item {{ padding: 4px 8px; border-radius: 4px; }}
    QListWidget::item:selected {{ background: {t.accent_soft}; color: {t.text}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.raised}; border-radius: 4px;
        min-height: 24px; margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle:horizontal {{ background: {t.raised}; border-radius: 4px; margin: 1px; }}
    QProgressBar {{ background: {t.groove}; border: none; border-radius: 3px;
        max-height: 6px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
    QCheckBox::indicator, QListWidget::indicator {{ width: 14px; height: 14px;
        border: 1px solid {t.dim};
        border-radius: 3px; background: {t.groove}; }}
    QCheckBox::indicator:checked, QListWidget::indicator:checked {{ background: {t.accent};
        border-color: {t.accent}; image: url({tick}); }}
    """
