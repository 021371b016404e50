"""Mending a small spot and a large area."""

from __future__ import annotations

import numpy as np

from bench.common import Row, Scale, large_state, row
from lather.core.arrays import FloatImage


def measure(scale: Scale) -> list[Row]:
    """mending a 40 px spot and a 400 px area, and the membrane against a direct solve"""
    import cv2

    from lather.core.brush.dabs import rim_profile
    from lather.core.mend.membrane import _solve_directly, fill_membrane
    from lather.core.mend.spot import mend_spot
    from lather.core.rect import Rect
    from lather.document import edits
    from lather.render.compositor import render_up_to

    state = edits.add_pixel_layer(large_state(scale))
    picture = state.photo.rect
    rows = []

    def read(rect: Rect, level: int) -> FloatImage:
        return render_up_to(state, state.active_id, rect, level)

    times = {}
    for named_px in (40, 400):
        size_px = scale.px(named_px)
        ys, xs = np.mgrid[:size_px, :size_px].astype(np.float32) + 0.5
        middle = size_px / 2
        selection = rim_profile(np.hypot(xs - middle, ys - middle), middle, 0.8)
        x, y = scale.px(1700), scale.px(2900)
        place = Rect(x, y, x + size_px, y + size_px)
        times[named_px] = scale.median_ms(lambda: mend_spot(read, picture, place, selection), 9)  # noqa: B023
    rows.append(row("mend, 40 px spot, 12 layers below", times[40], "ms", target="< 30 ms",
                    ok=times[40] < 30))

    side = scale.px(400)
    x, y = scale.px(1300), scale.px(2500)
    whole = state.photo.samples[y : y + 3 * side, x : x + 3 * side]
    image = np.ascontiguousarray(whole >> 8).astype(np.uint8)
    mask = np.zeros((side, side), np.uint8)
    cv2.circle(mask, (side // 2, side // 2), side // 2 - 2, (255,), -1)
    patch = np.ascontiguousarray(image[-side:, -side:])
    middle_of_it = (side + side // 2, side + side // 2)
    clone = scale.median_ms(
        lambda: cv2.seamlessClone(patch, image, mask, middle_of_it, cv2.NORMAL_CLONE), 7
    )
    unknown = mask > 0
    difference = np.ascontiguousarray(
        image[side : 2 * side, side : 2 * side].astype(np.float32) - patch.astype(np.float32)
    ) / np.float32(255)
    difference = cv2.GaussianBlur(difference, (0, 0), 2)
    set_in = scale.median_ms(lambda: fill_membrane(difference, unknown), 7)
    rows.append(row("mend, 400 px area, set in from a given source", set_in, "ms",
                    target="<= 1x", ok=set_in <= clone, reference="OpenCV seamlessClone",
                    reference_value=clone))
    rows.append(row("mend, 400 px area, with search, 12 layers", times[400], "ms",
                    target="<= 1x", ok=times[400] <= clone, reference="OpenCV seamlessClone",
                    reference_value=clone))
    exact = difference.copy()
    _solve_directly(exact, unknown, 0)
    worst = 255 * float(np.abs(fill_membrane(difference, unknown) - exact).max())
    rows.append(row("membrane, 400 px, largest error", worst, "/255", target="<= 1/255",
                    ok=worst <= 1))
    return rows
