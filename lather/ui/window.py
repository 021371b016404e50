"""The main window: composes the panels. What happens is decided by the workbench."""

from __future__ import annotations

import base64
import sys
import time
from pathlib import Path

from PyQt6.QtCore import QByteArray, QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QFont, QIcon, QResizeEvent
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QToolButton,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.job.opening import open_file
from lather.actions.job.saving import settle_unsaved
from lather.actions.job.settling import settle
from lather.actions.keymap import keys_of
from lather.actions.table import MENUS, all_actions
from lather.actions.workbench import Workbench
from lather.document.state import JobState
from lather.names import readable
from lather.paths import ASSETS
from lather.render.worker import Executor
from lather.ui.dialogs.asker import WindowAsker
from lather.ui.hand.hand_panel import HandPanel
from lather.ui.keys import Keys
from lather.ui.layers.layer_panel import LayerPanel
from lather.ui.pages import Pages
from lather.ui.parts.fitting import FittingLine
from lather.ui.parts.theme import GAP_2, GAP_4, SMALL
from lather.ui.parts.widgets import CommandButton, IconButton, column_in, label, run_action
from lather.ui.picture.canvas import Canvas
from lather.ui.picture.hint import Hint
from lather.ui.picture.legend import Legend
from lather.ui.picture.message_bar import MessageBar
from lather.ui.right_column import RightColumn
from lather.ui.side_panels import SidePanels
from lather.ui.signs_of_life import SignsOfLife
from lather.ui.stages.stage_track import StageTrack
from lather.ui.stages.worklist import Worklist
from lather.ui.strip.check_strip import CheckStrip
from lather.ui.strip.lens_strip import LensStrip

TOP_PX, LENSES_PX, BOTTOM_PX = 52, 30, 50
DEFAULT_SIZE = (1280, 800)
FOLDED = ("left_folded", "right_folded")
WIDE_PX = 1240
NAMES_PX = (150, 200)  # in a narrow window, in a wide one
CLOCK_MS = 250


class MainWindow(QMainWindow):
    """Job name, stages and clock above; worklist, picture, hand and layers; checks below."""

    def __init__(
        self, bench: Workbench, asker: WindowAsker, view: Executor, aside: Executor
    ) -> None:
        """`view` renders the picture, and nothing else that would make it wait; `aside` measures
        and draws what stands beside it."""
        super().__init__()
        self.bench = bench
        self.actions_by_id = {action.id: action for action in all_actions()}
        asker.window, asker.bench, asker.actions = self, bench, self.actions_by_id
        asker.show_picture_alone = self.show_picture_alone
        self.setWindowTitle("Lather")
        self.setWindowIcon(QIcon(str(ASSETS / "icons" / "lather.svg")))
        self.job_name = FittingLine(weight=QFont.Weight.DemiBold, is_written=True)
        self.job_note = FittingLine(SMALL, is_dim=True)
        self.clock = label("", "title")
        self.stages = StageTrack(bench)
        self.worklist = Worklist(bench, self.actions_by_id, aside)
        self.canvas = Canvas(bench, view, aside)
        self.pages = Pages(bench, self.actions_by_id, self.canvas)
        self.hand = HandPanel(bench, self.actions_by_id, aside)
        self.tool_card, self.layer_card = self.hand.tool_card, self.hand.layer_card
        self.layers = LayerPanel(bench, self.actions_by_id)
        self.lenses = LensStrip(bench, self.actions_by_id)
        self.checks = CheckStrip(bench, self.actions_by_id, aside)
        self.messages = MessageBar(bench, self.pages)
        self.hint = Hint(bench, self.canvas)
        self.legend = Legend(bench, self.canvas, self.hint)
        self.keys = Keys(bench, self.actions_by_id, self)
        self.signs_of_life = SignsOfLife(bench, self)
        self._compose()
        self._before_alone: dict[str, bool] = {}  # what was folded before all was
        self._may_close = False
        self._closing = False
        self._clock = QTimer(self)
        self._clock.setInterval(CLOCK_MS)
        self._clock.timeout.connect(self._on_clock)
        self._clock.start()
        self.pages.installEventFilter(self)
        self.canvas.rims.changed.connect(self._on_rims_changed)
        self.canvas.features.changed.connect(self._on_feature_changed)
        bench.job_opened.connect(self._show_title)
        bench.job_opened.connect(self._follow_saved)
        bench.job_changed.connect(self._on_job_changed)
        bench.settings.changed.connect(self._on_setting_changed)
        self._show_title()
        self._restore()
        self.canvas.setFocus()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_close:
            self._closing = True
            settle_unsaved(self.bench, self.close_now)
            self._closing = False
        if self._may_close:
            self.bench.take_job(None)
            self._close_views()
            event.accept()
        else:
            event.ignore()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        is_wide = self.width() >= WIDE_PX
        self._names.setFixedWidth(NAMES_PX[is_wide])
        self._place_overlays()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.pages and event is not None and event.type() == QEvent.Type.Resize:
            self._place_overlays()
        return False

    def _place_overlays(self) -> None:
        """What lies over the picture, the legend below the hint."""
        self.messages.place()
        self.hint.place()
        self.legend.place()

    def close_now(self) -> None:
        """Close without asking. The toolkit ignores a close within a close event."""
        self._may_close = True
        if not self._closing:
            self.close()

    def show_picture_alone(self, alone: bool) -> None:
        """The picture over the whole screen, or all else as it was before."""
        settings = self.bench.settings
        if alone:
            self._before_alone = {key: settings[key] for key in FOLDED}
        for part in (self._top_bar, self.lenses, self.checks):
            part.setVisible(not alone)
        for key, was in self._before_alone.items():
            settings.set(key, alone or was)
        if not alone:
            self._before_alone = {}
        full = Qt.WindowState.WindowFullScreen
        state = self.windowState()
        self.setWindowState(state | full if alone else state & ~full)

    def leave(self, at_once: bool = False) -> None:
        """Close without a question, as a signal asks: unsaved steps are kept."""
        for dialog in self.findChildren(QDialog):
            dialog.reject()
        if at_once:
            self._leave()
        else:
            settle(self.bench, self._leave)

    def _leave(self) -> None:
        title = self.bench.job.title if self.bench.job is not None else ""
        n_kept = self.bench.leave()
        if n_kept:
            steps = "1 unsaved step" if n_kept == 1 else f"{n_kept} unsaved steps"
            print(f"lather: {steps} of '{title}' kept for the next start.", file=sys.stderr)
        self.close_now()

    def _close_views(self) -> None:
        """The views stop listening; the window's place is remembered."""
        for key, was in self._before_alone.items():
            self.bench.settings.set(key, was)
        state = base64.b64encode(self.saveGeometry().data()).decode("ascii")
        self.bench.settings.set("window", state)
        self._clock.stop()
        self.bench.job_opened.disconnect(self._show_title)
        self.bench.job_opened.disconnect(self._follow_saved)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.settings.changed.disconnect(self._on_setting_changed)
        for view in (self.stages, self.worklist, self.pages, self.canvas, self.hand,
                     self.layers, self.lenses, self.checks, self.messages,
                     self.hint, self.legend, self.keys, self.signs_of_life, self.panels,
                     self.right):
            view.close_view()

    def _restore(self) -> None:
        self.resize(*DEFAULT_SIZE)
        saved = self.bench.settings["window"]
        if saved.isascii():
            self.restoreGeometry(QByteArray.fromBase64(saved.encode("ascii")))

    def _compose(self) -> None:
        page = QWidget()
        column = column_in(page, 0)
        self._top_bar = self._top()
        column.addWidget(self._top_bar)
        self.right = RightColumn(self.bench.settings, self.hand, self.layers)
        self.panels = SidePanels(self.bench.settings, self.worklist, self.pages, self.right)
        column.addWidget(self.panels, 1)
        self.lenses.setFixedHeight(LENSES_PX)
        column.addWidget(self.lenses)
        self.checks.setFixedHeight(BOTTOM_PX)
        column.addWidget(self.checks)
        self.setCentralWidget(page)

    def _top(self) -> QWidget:
        top = QWidget()
        top.setFixedHeight(TOP_PX)
        row = QHBoxLayout(top)
        row.setContentsMargins(GAP_4, 0, GAP_4, 0)
        row.setSpacing(GAP_2)
        self.menu_button = IconButton("menu")
        self.menu_button.setAccessibleName("Menu")
        self.menu_button.setToolTip("All commands.")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        menu.aboutToShow.connect(lambda: self._fill_menu(menu))
        self.menu_button.setMenu(menu)
        row.addWidget(self.menu_button)
        self._names = QWidget()
        names = column_in(self._names, 0)
        names.addStretch(1)
        names.addWidget(self.job_name)
        names.addWidget(self.job_note)
        names.addStretch(1)
        row.addWidget(self._names)
        row.addWidget(self.stages, 1)
        row.addWidget(self.clock)
        self.clock.setToolTip("Time worked on this job, without the pauses.")
        self.clock.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.clock.setMinimumWidth(76)
        return top

    def _fill_menu(self, menu: QMenu) -> None:
        """Build the menus anew, so that enabled, checked and recent are as they are now."""
        menu.clear()
        for title in MENUS:
            submenu = menu.addMenu(title)
            assert submenu is not None
            for action in self.actions_by_id.values():
                if action.menu == title:
                    self._add_entry(submenu, action)
            if title == "Job":
                self._add_recent(submenu)

    def _add_entry(self, menu: QMenu, action: Action) -> None:
        keys = keys_of(action, self.bench.settings)
        entry = menu.addAction(f"{action.title}\t{keys[0]}" if keys else action.title)
        assert entry is not None
        entry.setToolTip(action.help)
        entry.setEnabled(action.enabled(self.bench) and not action.is_momentary)
        if action.checked is not None:
            entry.setCheckable(True)
            entry.setChecked(action.checked(self.bench))
        entry.triggered.connect(lambda checked: run_action(action, self.bench))

    def _add_recent(self, menu: QMenu) -> None:
        names = self.bench.settings["recent"]
        if names:
            recent = menu.addMenu("Open recent")
            assert recent is not None
            for name in names:
                entry = recent.addAction(readable(Path(name).name))
                assert entry is not None
                entry.setToolTip(name)
                entry.triggered.connect(
                    lambda checked, name=name: open_file(self.bench, Path(name))
                )

    def _follow_saved(self) -> None:
        if self.bench.job is not None:
            self.bench.job.saved.connect(self._show_title)

    def _on_feature_changed(self) -> None:
        self.tool_card.show_feature(self.canvas.features.feature)

    def _on_rims_changed(self) -> None:
        self.tool_card.show_rims(self.canvas.rims.cursor, self.canvas.rims.area)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        self._show_title()

    def _on_setting_changed(self, key: str) -> None:
        if key in ("keys", "pen_hand"):  # the hints of all buttons name them
            for button in self.findChildren(CommandButton):
                button.refresh()

    def _show_title(self) -> None:
        job = self.bench.job
        if job is None:
            self.job_name.setText("Lather")
            self.job_note.setText("no photo open")
            self.setWindowTitle("Lather")
        else:
            photo = job.state.photo
            self.job_name.setText(job.title)
            saved = " · not saved" if job.modified else ""
            size = f"{photo.width} × {photo.height}"
            megapixels = f"{photo.width * photo.height / 1e6:.0f} MP"
            self.job_note.set_texts((
                f"{size}, {photo.depth_bits} bit{saved}", f"{size}{saved}", f"{megapixels}{saved}",
            ))  # fmt: skip
            self.setWindowTitle(f"{job.title}{' *' if job.modified else ''} – Lather")
        self._show_clock()

    def _on_clock(self) -> None:
        self._show_clock()
        self.bench.tick(time.monotonic())

    def _show_clock(self) -> None:
        job = self.bench.job
        worked_s = int(job.ledger.worked_s) if job is not None else 0
        hours, rest = divmod(worked_s, 3600)
        self.clock.setText(f"{hours:02d}:{rest // 60:02d}:{rest % 60:02d}" if job else "")
