"""The rim test, live: under the brush as it hovers, and along the area's outline.

Measured aside; of places that the cursor has left meanwhile nothing is asked any more.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from lather.actions.workbench import Workbench
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.areas import bounds_of
from lather.document.events import Signal
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.render.area import area_in
from lather.render.compositor import render_up_to
from lather.render.space import layer_space
from lather.render.worker import Executor
from lather.tools.table import tool

if TYPE_CHECKING:
    from lather.core.mend.rim import RimTest

LOOKED_AT = 1.6  # radii around the brush
TESTED_PX = 48.0  # radius of the brush on the level that is tested
LARGEST_PX = 400.0  # radius beyond which the brush is not tested
POINT_APART_PX, MOST_POINTS = 3.0, 600
TESTED_AREA_PX = 1024  # long side of an area on the level that is tested


class RimWatch:
    """Follows the cursor and the area of the open job.

    Signals
    -------
    changed() : `cursor` or `area` is another one.
    """

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        self.cursor: RimTest | None = None
        self.area: tuple[RimTest, ...] = ()
        self.changed: Signal[()] = Signal()
        self._bench = bench
        self._executor = executor
        self._wanted: tuple[float, float] | None = None
        self._asked = False
        bench.job_changed.connect(self._on_job_changed)
        bench.job_opened.connect(self._reset)
        bench.hands.changed.connect(self._on_hand_changed)

    def close(self) -> None:
        self._bench.job_changed.disconnect(self._on_job_changed)
        self._bench.job_opened.disconnect(self._reset)
        self._bench.hands.changed.disconnect(self._on_hand_changed)

    def hover(self, x: float, y: float) -> None:
        """The brush is over (x, y) in photo pixels."""
        self._wanted = (x, y)
        self._ask()

    def leave(self) -> None:
        self._wanted = None
        self._show(None)

    def _ask(self) -> None:
        if self._asked or self._wanted is None:
            return
        bench, (x, y) = self._bench, self._wanted
        if bench.job is None or not tool(bench.hand.tool).tests_rim:
            self._show(None)
            return
        radius_px = bench.hand.brush.size_px / 2
        if radius_px > LARGEST_PX:
            self._show(None)
            return
        self._asked = True
        place, state = self._wanted, bench.state

        def answer(rim: RimTest) -> None:
            self._asked = False
            if self._wanted is not None:
                self._show(rim)
                if self._wanted != place:
                    self._ask()

        self._executor.post(
            lambda: examine_brush(state, x, y, radius_px), answer, priority=2, failed=self._failed
        )

    def _failed(self, error: Exception) -> None:
        self._asked = False
        raise error

    def _show(self, rim: RimTest | None) -> None:
        if rim is not self.cursor:
            self.cursor = rim
            self.changed.emit()

    def _on_hand_changed(self) -> None:
        self.cursor = None
        self._ask()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.area is not after.area:
            self._ask_for_area(after)

    def _reset(self) -> None:
        self._wanted = None
        self.cursor, self.area = None, ()
        if self._bench.job is not None:
            self._ask_for_area(self._bench.state)

    def _ask_for_area(self, state: JobState) -> None:
        self.area = ()
        self.changed.emit()
        if state.area is None:
            return

        def answer(rims: tuple[RimTest, ...]) -> None:
            if self._bench.job is not None and self._bench.state.area is state.area:
                self.area = rims
                self.changed.emit()

        self._executor.post(lambda: examine_area(state), answer, priority=2)


def examine_brush(state: JobState, x: float, y: float, radius_px: float) -> RimTest:
    """The rim of a round brush, at places of the active layer."""
    from lather.core.mend.rim import RimTest, examine_rim, rim_points

    level = max(0, int(np.log2(max(1.0, radius_px / TESTED_PX))))
    whole = Rect.around(x, y, LOOKED_AT * radius_px + 2).at_level(level)
    rect = whole.intersect(state.photo.rect.at_level(level))
    points = rim_points(x, y, (radius_px,) * 4)
    if rect.width < 2 or rect.height < 2:
        return RimTest(points, np.ones(len(points), dtype=bool))
    local = _on_level(points, rect, level)
    return replace(examine_rim(_tested(state, rect, level), local), points=points)


def examine_area(state: JobState) -> tuple[RimTest, ...]:
    """All rims of the area, at places of the photo, as the active layer's picture has them."""
    from lather.core.area.shape import rims
    from lather.core.mend.rim import evenly_spaced, examine_outlines

    space = layer_space(state, state.active_id)
    area = area_in(state, space)
    assert area is not None
    bounds = bounds_of(area, state.photo.rect)
    if bounds.empty:
        return ()
    level = 0
    while max(bounds.width, bounds.height) >> level > TESTED_AREA_PX:
        level += 1
    around = bounds.grown(8 << level).at_level(level).intersect(state.photo.rect.at_level(level))
    step = 1 << level
    whole = read_plane(area, around.from_level(level))
    coverage = whole[step // 2 :: step, step // 2 :: step]
    outlines = []
    for outline in rims(coverage, around):
        n_points = int(min(max(len(outline) / POINT_APART_PX, 24), MOST_POINTS))
        outlines.append(evenly_spaced(outline * step, n_points))
    local = [_on_level(points, around, level) for points in outlines]
    tested = examine_outlines(_tested(state, around, level), local)
    return tuple(
        replace(rim, points=space.to_photo(points.astype(np.float64)).astype(np.float32))
        for rim, points in zip(tested, outlines, strict=True)
    )


def _tested(state: JobState, rect: Rect, level: int) -> FloatImage:
    """What a mend works on: the layers above have no say in it."""
    up_to = render_up_to(state, state.active_id, rect, level)
    return np.ascontiguousarray(up_to[..., :3])


def _on_level(points: NDArray[np.float32], rect: Rect, level: int) -> NDArray[np.float32]:
    """Points of the photo as points of a rectangle on a level."""
    return (points / (1 << level) - (rect.x0, rect.y0)).astype(np.float32)
