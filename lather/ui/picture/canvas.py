"""The picture: draws rendered tiles and overlays, turns pen and mouse into readings."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QEnterEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPointingDevice,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from lather.actions.hand.feature_watch import FeatureWatch
from lather.actions.hand.rim_watch import RimWatch
from lather.actions.hand.source import pick_at
from lather.actions.looking.people import PersonWatch
from lather.actions.looking.under import at_place
from lather.actions.looking.view import pans
from lather.actions.workbench import Workbench
from lather.core.arrays import ByteImage
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.document.diff import changed_cells
from lather.document.state import JobState
from lather.render.screen.request import Fresh, Shown
from lather.render.screen.view import ViewTiles
from lather.render.worker import Executor
from lather.tools.session import Frame
from lather.ui.parts.context_menu import show_menu
from lather.ui.picture.dropping import accept_files, open_dropped
from lather.ui.picture.finding_marks import draw_findings
from lather.ui.picture.grips import Grips
from lather.ui.picture.hand_mark import HandMark
from lather.ui.picture.pen_readings import PenReadings
from lather.ui.picture.picture_view import PictureView, draw_invitation, draw_split_line
from lather.ui.picture.trail_mark import trail_box
from lather.ui.picture.zoom_gestures import on_gesture, on_wheel

REST_TICK_MS = 25
SPLIT_GRIP_PX = 8


class Canvas(QWidget):
    """The view of the open job's picture."""

    def __init__(self, bench: Workbench, executor: Executor, aside: Executor) -> None:
        super().__init__()
        self.bench = bench
        self.tiles: ViewTiles | None = None
        self.frames_painted = 0
        self.rims = RimWatch(bench, aside)
        self.features = FeatureWatch(bench)
        self.people = PersonWatch(bench)
        self._hand = HandMark(bench, self.rims, aside, self.update)
        self._grips = Grips(bench, self.update)
        self._executor = executor
        self._pictures = PictureView(bench)
        self._pen_down = False
        self._pan_from: QPointF | None = None
        self._split_dragged = False
        self._readings = PenReadings(bench)
        self._tablet_in_use = False
        self._cursor: QPointF | None = None
        self._close_job: Callable[[], None] = lambda: None
        self._rest = QTimer(self)
        self._rest.setInterval(REST_TICK_MS)
        self._rest.timeout.connect(self._on_rest)
        self.setMouseTracking(True)
        self.setTabletTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture")
        self.setMinimumSize(320, 240)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.looks_changed.connect(self._on_looks_changed)
        bench.walk.moved.connect(self.update)
        bench.stage_changed.connect(self.update)
        bench.pending_changed.connect(self._on_pending_changed)
        bench.hands.changed.connect(self._on_hand_changed)
        bench.settings.changed.connect(self._on_setting_changed)
        self.rims.changed.connect(self._on_rims_changed)
        self.reset()

    # --- following the model -------------------------------------------------------------

    def reset(self) -> None:
        """Show another job."""
        self._close_job()
        self._pictures.clear()
        job, session = self.bench.job, self.bench.session
        self.tiles = None
        self._pen_down = False
        if job is not None and session is not None:
            tiles = self.tiles = ViewTiles(
                job.state, self._executor, self._on_fresh, self.bench.surround, QTimer.singleShot
            )
            tiles.prepare_overview()
            session.frame.connect(self._on_frame)
            session.ended.connect(self._on_stroke_ended)
            self._close_job = tiles.close
        self._on_hand_changed()
        self.update()

    def close_view(self) -> None:
        """Stop listening; called when the window goes."""
        self._rest.stop()
        self._close_job()
        self.rims.close()
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.looks_changed.disconnect(self._on_looks_changed)
        self.bench.walk.moved.disconnect(self.update)
        self.bench.stage_changed.disconnect(self.update)
        self.bench.pending_changed.disconnect(self._on_pending_changed)
        self.bench.hands.changed.disconnect(self._on_hand_changed)
        self.bench.settings.changed.disconnect(self._on_setting_changed)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if self.tiles is None:
            return
        self.tiles.set_state(after, changed_cells(before, after))
        self._pictures.want_anew()
        geometry = self.bench.geometry
        if geometry is None or not self._pictures.ask(self.tiles, geometry):
            self.update()

    def _on_looks_changed(self) -> None:
        self._pictures.want_anew()
        self._on_hand_changed()
        self.update()

    def _on_hand_changed(self) -> None:
        hidden = self.bench.job is None or pans(self.bench)
        shape = Qt.CursorShape.OpenHandCursor if pans(self.bench) else Qt.CursorShape.ArrowCursor
        self.setCursor(shape if hidden else Qt.CursorShape.BlankCursor)
        look = self.bench.looks.through(self.bench.hand.region)
        if self.tiles is not None and self.tiles.look_through != look:
            self.tiles.set_lens(look)
            self._pictures.want_anew()
            self.update()
        self._update_cursor()

    def _on_pending_changed(self) -> None:
        if self.tiles is not None:
            pending = self.bench.pending
            self.tiles.set_proposed(pending.after if pending is not None else None)
            self._pictures.want_anew()
        self.update()

    def _on_rims_changed(self) -> None:
        if self.rims.area or self.bench.job is None or self.bench.state.area is not None:
            self.update()
        elif self._cursor is not None:
            self._update_cursor()

    def _on_setting_changed(self, key: str) -> None:
        if key == "surround_percent" and self.tiles is not None:
            self.tiles.set_surround(self.bench.surround)
            self._pictures.clear()
        self.update()

    def _on_fresh(self, fresh: Fresh) -> None:
        if self._pictures.visible(fresh.shown, fresh.level) is None:
            self._pictures.forget(fresh.shown)  # an overview came in: gaps can be filled
            self.update()
        else:
            self._blit(fresh.shown, fresh.level, fresh.rect, fresh.image)

    def _on_frame(self, frame: Frame) -> None:
        if self.tiles is None:
            return
        self.tiles.live_rect = frame.painted
        self.tiles.paint_over(frame.level, frame.rect, frame.image, frame.shown)
        self._blit(frame.shown, frame.level, frame.rect, frame.image)
        self.frames_painted += 1

    def _on_stroke_ended(self) -> None:
        if self.tiles is None:
            return
        if self.tiles.live_rect is not None:
            self.tiles.invalidate(
                self.tiles.live_rect, (Shown.AFTER, Shown.MASK, Shown.LENS)
            )
        self.tiles.live_rect = None
        self._pictures.want_anew()
        self.update()

    def _blit(self, shown: Shown, level: int, rect: Rect, pixels: ByteImage) -> None:
        part = self._pictures.blit(shown, level, rect, pixels)
        if part == self._pictures.visible(shown, level):
            self.update()  # what is drawn beside the picture goes with it
        elif not part.empty:
            self._update_level_rect(level, part)

    def _update_level_rect(self, level: int, rect: Rect) -> None:
        geometry = self.bench.geometry
        if geometry is None:
            return
        full = rect.from_level(level)
        x0, y0 = geometry.to_view(full.x0, full.y0)
        x1, y1 = geometry.to_view(full.x1, full.y1)
        ratio = self.devicePixelRatioF()
        area = QRectF(QPointF(x0, y0) / ratio, QPointF(x1, y1) / ratio).normalized()
        self.update(area.toAlignedRect().adjusted(-2, -2, 2, 2))

    # --- drawing -------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        grey = round(self.bench.surround * 255)
        painter.fillRect(event.rect(), QColor(grey, grey, grey))
        geometry = self.bench.geometry
        if self.tiles is None or geometry is None:
            draw_invitation(painter, self.rect())
            return
        ratio = self.devicePixelRatioF()
        painter.save()
        painter.scale(1 / ratio, 1 / ratio)
        if geometry.mirrored:
            painter.translate(geometry.view_width, 0)
            painter.scale(-1, 1)
        self._pictures.draw(painter, self.tiles, geometry)
        painter.restore()
        if not self.bench.looks.before and not self.bench.looks.before_held:
            draw_findings(painter, self.bench, ratio)
        if self.bench.looks.splits:
            draw_split_line(painter, self.width() * self.bench.looks.line_at, self.height())
        self._grips.draw_below(painter, ratio)
        self._hand.draw(painter, self.tiles, self._cursor, ratio)
        self._grips.draw_above(painter, ratio)

    # --- pen and mouse -------------------------------------------------------------------

    def tabletEvent(self, event: QTabletEvent) -> None:
        event.accept()
        if not self._pen_down:
            erases = event.pointerType() == QPointingDevice.PointerType.Eraser
            self.bench.hands.set_erasing(erases)
        self._move_cursor(event.position())
        if event.type() != QEvent.Type.TabletMove:  # a pen that hovers leaves the mouse alone
            self._tablet_in_use = event.type() == QEvent.Type.TabletPress
        if self.bench.panning or self._pan_from is not None:
            self._pan(event.type() == QEvent.Type.TabletRelease, event.position())
            return
        if self._grips.busy:
            if event.type() == QEvent.Type.TabletRelease:
                self._grips.drop(event.position(), self.devicePixelRatioF())
            else:
                self._grips.drag(event.position())
            return
        sample = self._readings.of_pen(event, self.devicePixelRatioF())
        if event.type() == QEvent.Type.TabletPress:
            self._begin(sample, event.position())
        elif event.type() == QEvent.Type.TabletMove and self._pen_down:
            self._go_on(sample)
        elif event.type() == QEvent.Type.TabletRelease:
            self._end(sample)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if self._tablet_in_use:
            return
        self.bench.hands.set_erasing(False)
        if event.button() == Qt.MouseButton.MiddleButton or self.bench.panning:
            self._pan_from = event.position()
        elif event.button() == Qt.MouseButton.LeftButton:
            self._readings.begin()
            self._begin(self._readings.of_mouse(event, self.devicePixelRatioF()), event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._move_cursor(event.position())
        if self._tablet_in_use:
            return
        if self._pan_from is not None:
            self._pan(False, event.position())
        elif self._grips.busy:
            self._grips.drag(event.position())
        elif self._split_dragged:
            share = event.position().x() / max(1, self.width())
            self.bench.look(split_at=min(max(share, 0.02), 0.98))
        elif self._pen_down:
            self._go_on(self._readings.of_mouse(event, self.devicePixelRatioF()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pan_from = None
        self._split_dragged = False
        if not self._tablet_in_use and event.button() == Qt.MouseButton.LeftButton:
            ratio = self.devicePixelRatioF()
            if self._grips.busy:
                self._grips.drop(event.position(), self.devicePixelRatioF())
            else:
                self._end(self._readings.of_mouse(event, ratio, pressure=0.0))

    def wheelEvent(self, event: QWheelEvent) -> None:
        on_wheel(self.bench, event, self.devicePixelRatioF())

    def event(self, event: QEvent) -> bool:
        return on_gesture(self.bench, event, self.devicePixelRatioF()) or super().event(event)

    def enterEvent(self, event: QEnterEvent) -> None:
        self._move_cursor(event.position())

    def leaveEvent(self, event: QEvent) -> None:
        self._update_cursor()
        self._cursor = self._pictures.focus = None
        self.rims.leave()

    def resizeEvent(self, event: QResizeEvent) -> None:
        ratio = self.devicePixelRatioF()
        self.bench.resize_view(round(self.width() * ratio), round(self.height() * ratio))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The commands of what lies under the pen."""
        geometry = self.bench.geometry
        if geometry is not None and not self._pen_down and self.bench.job is not None:
            at = self._device(QPointF(event.pos()))
            show_menu(self.bench, at_place(self.bench, *geometry.to_photo(*at)), self,
                      event.globalPos())  # fmt: skip

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        accept_files(event)

    def dropEvent(self, event: QDropEvent) -> None:
        open_dropped(self.bench, event)

    def _begin(self, sample: PenSample, position: QPointF) -> None:
        if self._on_split_line(position):
            self._split_dragged = True
            return
        if self._grips.press(position, self.devicePixelRatioF()):
            return
        session = self.bench.session
        if session is None or self.bench.geometry is None:
            return
        if self.bench.hands.picking:
            try:
                pick_at(self.bench, sample.x, sample.y)
            except Exception as error:  # noqa: BLE001 - the edge
                self.bench.report(error, "Picking failed")
            self.update()
            return
        if pans(self.bench):
            self._pan_from = position
            return
        unseen = self.bench.looks.hides_paint_at(position.x() / max(1, self.width()))
        if unseen:
            self.bench.say(unseen, error=True)
            return
        self._pen_down = True
        session.down(sample)
        self._rest.start()

    def _go_on(self, sample: PenSample) -> None:
        session, geometry = self.bench.session, self.bench.geometry
        if session is not None and geometry is not None:
            session.move(sample)
            if session.trail:
                self.update(trail_box(session.trail, geometry, self.devicePixelRatioF()))

    def _end(self, sample: PenSample) -> None:
        self._rest.stop()
        if self._pen_down and self.bench.session is not None:
            self._pen_down = False
            self.bench.session.up(sample)
        self._split_dragged = False

    def _on_rest(self) -> None:
        if self.bench.session is not None:
            self.bench.session.rest(time.monotonic())

    def _pan(self, released: bool, position: QPointF) -> None:
        if self._pan_from is not None:
            moved = (position - self._pan_from) * self.devicePixelRatioF()
            self.bench.pan(moved.x(), moved.y())
        self._pan_from = None if released else position

    def _on_split_line(self, position: QPointF) -> bool:
        looks = self.bench.looks
        at = self.width() * looks.line_at
        return looks.splits and abs(position.x() - at) <= SPLIT_GRIP_PX

    def _device(self, position: QPointF) -> tuple[float, float]:
        return position.x() * self.devicePixelRatioF(), position.y() * self.devicePixelRatioF()

    def _move_cursor(self, position: QPointF) -> None:
        self._update_cursor()
        self._cursor = position
        self._update_cursor()
        geometry, at = self.bench.geometry, self._device(position)
        if geometry is None:
            return
        self._pictures.focus = geometry.to_photo(*at)
        if not self._pen_down:
            self.rims.hover(*self.bench.layer_sight.to_photo(geometry, *at))
            self.people.hover(*self.bench.photo_sight.to_photo(geometry, *at))
            self.features.hover(*self.bench.photo_sight.to_photo(geometry, *at))

    def _update_cursor(self) -> None:
        if self._cursor is not None:
            for box in self._hand.boxes(self._cursor, self.devicePixelRatioF()):
                self.update(box)
