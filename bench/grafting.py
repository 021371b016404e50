"""Dragging a graft of 800 px: how long a frame takes, and the graft itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.common import large_state, median_ms, row

SIZE_PX = 800
FRAME_MS = 33.0  # thirty frames a second; the pen's own trail is drawn by the window meanwhile
VIEW_LEVEL = 1  # an area of that size fits the window at 50 %


def measure() -> list[dict[str, object]]:
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

    state = large_state()
    ys, xs = np.mgrid[:SIZE_PX, :SIZE_PX] + 0.5
    inside = (np.hypot(xs - SIZE_PX / 2, ys - SIZE_PX / 2) < SIZE_PX / 2).astype(np.float32)
    place = Rect(1300, 2300, 1300 + SIZE_PX, 2300 + SIZE_PX)
    state = areas.outline(state, place, inside, Combine.NEW)
    state = replace(state, active_id=state.layers[-1].id)
    hand = Hand("graft", tool("graft").brush)
    rows = []

    def dab(x: float, y: float) -> np.ndarray:
        return np.array([[x, y, 2.0, 1.0, 1.0, 1.0]], dtype=np.float32)[:, :N_COLUMNS]

    from lather.core.brush.dabs import DAB_COLUMNS as N_COLUMNS

    image = np.ascontiguousarray(state.photo.samples[2100:3300, 1100:2300] >> 8).astype(np.uint8)
    patch = np.ascontiguousarray(image[100:900, 300:1100])
    mask = (255 * inside).astype(np.uint8)
    clone_ms = median_ms(
        lambda: cv2.seamlessClone(patch, image, mask, (600, 600), cv2.NORMAL_CLONE), 3
    )
    for level, title, target in ((VIEW_LEVEL, "at 50 %", "< 33 ms"), (0, "at 100 %", "< 33 ms")):
        work = begin_graft(state, hand)
        work.add(dab(1700.0, 2700.0))
        step = 0

        def frame() -> None:
            nonlocal step
            step += 7
            rect = work.add(dab(1700.0 + step, 2720.0)).at_level(level)  # noqa: B023
            pixels = work.shown(rect, level)  # noqa: B023
            to_screen(pixels, state.photo.lattice, 0.2)

        frame_ms = median_ms(frame, 15, 2)
        rows.append(row(f"graft of {SIZE_PX} px, a frame {title}, 12 layers", frame_ms, "ms",
                        target=target, ok=frame_ms < FRAME_MS if target else None,
                        reference="OpenCV seamlessClone", reference_value=clone_ms))  # fmt: skip

    def whole() -> None:
        work = begin_graft(state, hand)
        work.add(dab(1700.0, 2700.0))
        work.add(dab(2100.0, 2720.0))
        work.finish((PenSample(0.0, 1700.0, 2700.0), PenSample(1.0, 2100.0, 2720.0)))

    set_ms = median_ms(whole, 3)
    rows.append(row(f"graft of {SIZE_PX} px, set, 12 layers", set_ms, "ms", target="<= 1x",
                    ok=set_ms <= clone_ms, reference="OpenCV seamlessClone",
                    reference_value=clone_ms))  # fmt: skip
    return rows
