"""Dragging a graft of 800 px: how long a frame takes, and the graft itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.common import Row, Scale, large_state, row
from lather.core.brush.dabs import DAB_COLUMNS, Dabs

SIZE_PX = 800
FRAME_MS = 33.0  # thirty frames a second; the pen's own trail is drawn by the window meanwhile
VIEW_LEVEL = 1  # an area of that size fits the window at 50 %


def measure(scale: Scale) -> list[Row]:
    """dragging and setting an 800 px graft, against seamlessClone of the same area"""
    import cv2

    from lather.core.area.combine import Combine
    from lather.core.brush.stroke import PenSample
    from lather.core.colour.display import to_screen
    from lather.core.rect import Rect
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
    for level, title, target in ((VIEW_LEVEL, "at 50 %", "< 33 ms"), (0, "at 100 %", "< 33 ms")):
        work = begin_graft(state, hand)
        work.add(dab(x, y))
        step = 0

        def frame() -> None:
            nonlocal step
            step += 7
            rect = work.add(dab(x + step, y + 20)).at_level(level)  # noqa: B023
            pixels = work.shown(rect, level)  # noqa: B023
            assert pixels is not None
            to_screen(pixels, state.photo.lattice, 0.2)

        frame_ms = scale.median_ms(frame, 15, 2)
        rows.append(row(f"graft of {SIZE_PX} px, a frame {title}, 12 layers", frame_ms, "ms",
                        target=target, ok=frame_ms < FRAME_MS if target else None,
                        reference="OpenCV seamlessClone", reference_value=clone_ms))  # fmt: skip

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
