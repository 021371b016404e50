"""Lines that say something as fully as there is room for, and never half of it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.ui.parts.texts import draw, longest_that_fits
from lather.ui.parts.theme import BODY, Size, font, line_px, theme


class FittingLine(QWidget):
    """The longest of several texts that fits.

    Parameters
    ----------
    is_written : by a person; cut with dots if it has to be, whole in the hint.
    """

    def __init__(
        self, size: Size = BODY, weight: QFont.Weight = QFont.Weight.Normal, *,
        is_dim: bool = False, is_written: bool = False,
    ) -> None:  # fmt: skip
        super().__init__()
        self._size, self._weight = size, weight
        self._is_dim, self._is_written = is_dim, is_written
        self._texts: tuple[str, ...] = ("",)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def set_texts(self, texts: Sequence[str]) -> None:
        """From the fullest to the shortest."""
        self._texts = tuple(texts) or ("",)
        self.setToolTip(self._texts[0])
        self.setAccessibleName(self._texts[0])
        self.updateGeometry()
        self.update()

    def setText(self, text: str) -> None:
        self.set_texts((text,))

    def text(self) -> str:
        """The fullest."""
        return self._texts[0]

    @property
    def shown(self) -> str:
        """What there is room for."""
        if self._is_written:
            return self._texts[0]
        return longest_that_fits(self._texts, self.width(), QFontMetricsF(self._font))

    def sizeHint(self) -> QSize:
        width = QFontMetricsF(self._font).horizontalAdvance(self._texts[0])
        return QSize(round(width) + 2, line_px(self._size))

    def minimumSizeHint(self) -> QSize:
        return QSize(0, line_px(self._size))

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setFont(self._font)
        painter.setPen(QColor(theme().dim if self._is_dim else theme().text))
        draw(painter, QRectF(self.rect()), self.shown, is_written=self._is_written)

    @property
    def _font(self) -> QFont:
        return font(self._size, self._weight)
