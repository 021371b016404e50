"""The card of the active layer, if it has parameters."""

from __future__ import annotations

from PyQt6.QtCore import QTimer, pyqtSignal

from lather.actions.layers.layer import above_photo
from lather.actions.workbench import Workbench
from lather.document.layers.computed import ComputedLayer
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.layers.cards.limits import LimitsCard
from lather.ui.layers.cards.rows import Card
from lather.ui.layers.cards.table import CARDS
from lather.ui.parts.fitting import FittingLine
from lather.ui.parts.theme import SMALL
from lather.ui.parts.widgets import Panel

PICTURE_AFTER_MS = 250


class LayerCard(Panel):
    """Of the active layer, while that has something to set.

    Signals
    -------
    changed() : another card, or none.
    """

    changed = pyqtSignal()

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        super().__init__("")
        self.column.setContentsMargins(0, 0, 0, 0)
        self.note.hide()  # a line of its own says whose card it is
        self.layer_name = FittingLine(SMALL, is_dim=True, is_written=True)
        self.column.addWidget(self.layer_name)
        self.bench = bench
        self._executor = executor
        self.cards: dict[type[ComputedLayer], Card] = {}
        self.card: Card | None = None
        self.has_card = False
        self._told: tuple[object, ...] = ()
        self.title_text = ""
        self.limits = LimitsCard(bench)
        self.column.addWidget(self.limits)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PICTURE_AFTER_MS)
        self._timer.timeout.connect(self._show_picture)
        bench.job_opened.connect(self.reset)
        bench.looks_changed.connect(self._on_looks_changed)
        bench.job_changed.connect(self._on_job_changed)
        self.reset()

    def reset(self) -> None:
        """Read the active layer back."""
        layer = self.bench.state.active if self.bench.job is not None else None
        computed = layer if isinstance(layer, ComputedLayer) else None
        card = None if computed is None else self._card_of(type(computed))
        if card is not self.card:
            if self.card is not None:
                self.card.hide()
            self.card = card
        self._show_limits()
        if card is None or computed is None:
            self._timer.stop()
        else:
            self._show_name(computed.TITLE, computed.name)
            self.title.setToolTip(computed.HELP)
            card.show_layer(computed)
            card.show()
            self._timer.start()
        self._tell()

    def _on_looks_changed(self) -> None:
        self._show_limits()
        self._tell()

    def _show_limits(self) -> None:
        """Where they are asked for, or the layer has some."""
        layer = self.bench.state.active if self.bench.job is not None else None
        is_limited = layer is not None and not layer.limits.are_open
        shown = above_photo(self.bench) and (is_limited or self.bench.looks.limits)
        self.limits.setVisible(shown)
        self.has_card = shown or self.card is not None
        if layer is not None and shown:
            self.limits.show_layer(layer)
            if self.card is None:
                self._show_name("Limits", layer.name)

    def _tell(self) -> None:
        """If there is another card than was told last."""
        shown = self.card, not self.limits.isHidden(), self.title_text
        if shown != self._told:
            self._told = shown
            self.changed.emit()

    def show_title(self, shown: bool) -> None:
        """Or not, where another place says it."""
        self.title.setVisible(shown)

    def _show_name(self, title: str, name: str) -> None:
        self.title_text = title
        self.title.setText(title)
        self.layer_name.setText("" if name == title else name)
        self.layer_name.setVisible(name != title)

    def close_view(self) -> None:
        self._timer.stop()
        self.bench.looks_changed.disconnect(self._on_looks_changed)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        for card in self.cards.values():
            card.close_view()

    def _card_of(self, kind: type[ComputedLayer]) -> Card:
        if kind not in self.cards:
            self.cards[kind] = CARDS[kind](self.bench, self._executor)
            self.column.insertWidget(self.column.count() - 1, self.cards[kind])
        return self.cards[kind]

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.active is not after.active or before.layers is not after.layers:
            self.reset()

    def _show_picture(self) -> None:
        if self.card is not None and self.bench.job is not None:
            self.card.show_picture()
