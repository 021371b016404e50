"""Dragging a graft of 800 px: how long a frame takes, and the graft itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.common import Row, Scale, large_state, p95, row
from bench.stroke import N_WARM_UP, opened, stroke_delays
from lather.core.brush.dabs import DAB_COLUMNS, Dabs
from lather.core.rect import Rect
from lather.document.state import JobState

SIZE_PX = 800
FRAME_MS = 33.0  # thirty frames a second; the pen's own trail is drawn by the window meanwhile
SWEEP_PX = 200.0
N_EVENTS = 40


def measure(scale: Scale) -> list[Row]:
    """dragging and setting an 800 px graft, against seamlessClone of the same area"""
    import cv2

    from lather.core.area.combine import Combine
    from lather.core.brush.stroke import PenSample
    from lather.document import areas
    from lather.tools.base import Hand
    from lather.tools.graft import begin_graft
    from lather.tools.table import tool

    state = large_state(scale)
    side = scale.px(SIZE_PX)
    ys, xs = np.mgrid[:side, :side] + 0.5
    inside = (np.hypot(xs - side / 2, ys - side / 2) < side / 2).astype(np.float32)
    left, top = scale.px(1300), scale.px(2300)
    place = Rect(left, top, left + side, top + side)
    x, y = left + side / 2, top + side / 2
    state = areas.outline(state, place, inside, Combine.NEW)
    state = replace(state, active_id=state.layers[-1].id)
    hand = Hand("graft", tool("graft").brush)
    rows = []

    def dab(x: float, y: float) -> Dabs:
        return np.array([[x, y, 2.0, 1.0, 1.0, 1.0]], dtype=np.float32)[:, :DAB_COLUMNS]

    margin = side // 4
    around = place.grown(margin)
    image = np.ascontiguousarray(state.photo.samples[around.slices] >> 8).astype(np.uint8)
    patch = np.ascontiguousarray(image[:side, margin : margin + side])
    mask = (255 * inside).astype(np.uint8)
    middle = (image.shape[1] // 2, image.shape[0] // 2)
    clone_ms = scale.median_ms(
        lambda: cv2.seamlessClone(patch, image, mask, middle, cv2.NORMAL_CLONE), 3
    )
    rows += _frames(scale, state, Rect.around(x, y, side // 2), clone_ms)

    def whole() -> None:
        work = begin_graft(state, hand)
        end = x + side / 2, y + 20
        work.add(dab(x, y))
        work.add(dab(*end))
        work.finish((PenSample(0.0, x, y), PenSample(1.0, *end)))

    set_ms = scale.median_ms(whole, 3)
    rows.append(row(f"graft of {SIZE_PX} px, set, 12 layers", set_ms, "ms", target="<= 1x",
                    ok=set_ms <= clone_ms, reference="OpenCV seamlessClone",
                    reference_value=clone_ms))  # fmt: skip
    return rows


def _frames(scale: Scale, state: JobState, place: Rect, clone_ms: float) -> list[Row]:
    """A graft dragged in the real window: pen event to paint."""
    from lather.document.job import Job
    from lather.ui.scripted import settle

    app, pen, paints = opened(Job(state))
    app.bench.hands.take_tool("graft")
    rows, sweep_px = [], scale.px(SWEEP_PX)
    for zoom in (0.5, 1.0):
        app.bench.zoom_to(zoom)
        app.bench.centre_on(place)
        settle(app)
        delays = stroke_delays(app, pen, paints, scale.runs(N_EVENTS) + N_WARM_UP, sweep_px,
                               sweep_px / 4)  # fmt: skip
        settle(app)
        app.bench.undo()
        rows.append(p95(f"graft of {SIZE_PX} px, a frame at {zoom:.0%}, 12 layers", delays,
                        FRAME_MS, "OpenCV seamlessClone", clone_ms))  # fmt: skip
    app.close()
    return rows
