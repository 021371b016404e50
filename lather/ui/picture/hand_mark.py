"""What is in the hand, drawn on the picture: the area, the source, the brush and its rim."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRect
from PyQt6.QtGui import QPainter

from lather.actions.hand.rim_watch import RimWatch
from lather.actions.looking.view import pans
from lather.actions.workbench import Workbench
from lather.render.screen.view import ViewTiles
from lather.render.worker import Executor
from lather.ui.picture.area_mark import AreaMark
from lather.ui.picture.brush_outline import BrushOutline
from lather.ui.picture.ellipse_mark import draw_ellipse
from lather.ui.picture.peek_ring import draw_peek, has_ring, ring_box
from lather.ui.picture.rim_mark import draw_cursor_rim, rim_box
from lather.ui.picture.shape_mark import ShapeMark
from lather.ui.picture.source_mark import draw_ghost, draw_source, source_box
from lather.ui.picture.trail_mark import TrailMark


class HandMark:
    """Draws over the picture; says which parts of the widget that can touch."""

    def __init__(
        self, bench: Workbench, rims: RimWatch, executor: Executor, arrived: Callable[[], None]
    ) -> None:
        self._bench = bench
        self._rims = rims
        self._outline = BrushOutline()
        self._area = AreaMark(bench, rims, executor, arrived)
        self._trail = TrailMark()
        self._shape = ShapeMark(bench)

    def draw(
        self, painter: QPainter, tiles: ViewTiles, cursor: QPointF | None, ratio: float
    ) -> None:
        bench, session = self._bench, self._bench.session
        if cursor is not None:
            draw_peek(painter, bench, tiles, cursor, ratio)
        if bench.pending is None:  # whose outline it would cross
            self._area.draw(painter, ratio)
        draw_ellipse(painter, bench, ratio)
        self._shape.draw(painter, cursor, ratio)
        self._trail.draw(painter, bench, ratio)
        draw_source(painter, bench, cursor, ratio)
        if cursor is None or pans(bench):
            return
        hovers = session is not None and not session.busy
        if hovers:
            draw_ghost(painter, bench, tiles, cursor, ratio)
        self._outline.draw(painter, bench, cursor, ratio)
        if hovers and bench.pending is None:
            draw_cursor_rim(painter, bench, self._rims.cursor, ratio)

    def boxes(self, cursor: QPointF, ratio: float) -> list[QRect]:
        """What drawing the brush at a place can touch, in widget coordinates."""
        boxes = [self._outline.box(self._bench, cursor, ratio).toAlignedRect()]
        if self._bench.session is not None and self._bench.session.reading is not None:
            boxes.append(self._shape.box(cursor))
        if self._rims.cursor is not None:
            boxes.append(rim_box(self._bench, cursor, ratio))
        if has_ring(self._bench):
            boxes.append(ring_box(cursor).toAlignedRect())
        source = source_box(self._bench, cursor, ratio)
        return boxes if source is None else [*boxes, source.toAlignedRect()]
