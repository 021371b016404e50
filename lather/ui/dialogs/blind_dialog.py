"""The blinded test: two pictures without labels in the same place; which is the photo?"""

from __future__ import annotations

from datetime import datetime

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lather.assist.check.blind import BlindPair
from lather.document.agreed.trials import Trial
from lather.document.state import JobState
from lather.render.screen.request import screen_bytes
from lather.ui.parts.theme import GAP_2, GAP_3, GAP_4
from lather.ui.parts.widgets import label

PICTURE_PX = (820, 560)
NAMES = ("first", "second")
ASKED = ("Flip between the two as often as you like, then say which one is the photo. Nothing "
         "tells which is which until you have answered; the answer is kept in the job.")


class BlindDialog(QDialog):
    """Shows one picture of a pair at a time; `trial` is the answer."""

    def __init__(self, state: JobState, pair: BlindPair, surround: float,
                 parent: QWidget | None) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle("Which is the photo?")
        self._pair, self._shown, self._n_flips = pair, 0, 0
        self._pixmaps = [_pixmap(state, picture, surround) for picture in pair.pictures]
        self.trial: Trial | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_4, GAP_4, GAP_4, GAP_4)
        column.setSpacing(GAP_3)
        text = label(ASKED, "dim")
        text.setWordWrap(True)
        column.addWidget(text)
        self.picture = label()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName("One of the two pictures")
        column.addWidget(self.picture, 1)
        row = QHBoxLayout()
        row.setSpacing(GAP_2)
        self.name = label("", "title")
        row.addWidget(self.name)
        self.flip = QPushButton("Flip  (Space)")
        self.flip.clicked.connect(self._on_flip)
        row.addWidget(self.flip)
        row.addStretch(1)
        self.answers = []
        for text_, index in (("The first is the photo  (1)", 0), ("The second is  (2)", 1),
                             ("I cannot tell  (0)", None)):  # fmt: skip
            button = QPushButton(text_)
            button.clicked.connect(lambda checked, index=index: self._answer(index))
            self.answers.append(button)
            row.addWidget(button)
        column.addLayout(row)
        for button in (self.flip, *self.answers):
            button.setAutoDefault(False)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._show()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key == Qt.Key.Key_Space:
            self._on_flip()
        elif key in (Qt.Key.Key_1, Qt.Key.Key_2):
            self._answer(0 if key == Qt.Key.Key_1 else 1)
        elif key == Qt.Key.Key_0:
            self._answer(None)
        else:
            super().keyPressEvent(event)

    def _on_flip(self) -> None:
        self._shown = 1 - self._shown
        self._n_flips += 1
        self._show()

    def _answer(self, index: int | None) -> None:
        on = datetime.now().astimezone().isoformat(timespec="seconds")
        self.trial = Trial(self._pair.answer(index), on, self._pair.scale, self._n_flips)
        self.accept()

    def _show(self) -> None:
        self.picture.setPixmap(self._pixmaps[self._shown])
        self.name.setText(f"This is the {NAMES[self._shown]}")


def _pixmap(state: JobState, picture: np.ndarray, surround: float) -> QPixmap:
    pixels = screen_bytes(state, np.ascontiguousarray(picture), surround)
    height, width = picture.shape[:2]
    image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGB32)  # type: ignore[call-overload]
    return QPixmap.fromImage(image.copy())
