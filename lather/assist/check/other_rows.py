"""Rows on what is no skin: colour and detail of lips, eyes, brows, hair and clothes, until a stage
of theirs measures each by itself."""

from __future__ import annotations

import numpy as np

from lather.assist.check.reading import Reading, Row
from lather.assist.check.views import Views
from lather.assist.grain_kept import shared_grain
from lather.core.arrays import Plane
from lather.core.check.edges import Mask
from lather.core.colour.lab import ciede2000

COLOUR_MM, MOST_OF_IT = 1.5, 90.0  # over which colour is compared; percentile of a region
WINDOW_MM, LEAST_OF_IT = 12.0, 10.0  # over which detail is compared; percentile
MOST_PLACES = 4000  # of a region that are looked at
LEAST_DETAIL_L = 0.8  # rms, with less there is nothing to lose


def other_colour(views: Views) -> Reading:
    """The region whose colour moved most, over most of it or a good part."""
    import cv2

    picture = views.begun.skin.picture
    size = (2 * max(1, round(picture.px(COLOUR_MM) / 2)) + 1,) * 2
    start, now = (cv2.blur(lab, size) for lab in (views.begun.lab, views.now.lab))
    worst, place, at = 0.0, None, ""
    for region, inside in views.begun.others.items():
        every = max(1, int(inside.sum()) // MOST_PLACES)
        away = ciede2000(start[inside][::every], now[inside][::every])
        value = float(np.percentile(away, MOST_OF_IT))
        if value > worst:
            worst, at = value, region.label
            place = _place(views, inside, every * int(np.argmax(away)))
    return Reading(worst, place, at)


def other_detail(views: Views) -> Reading:
    """What is left of the detail of the region that lost most of it, where it lost most."""
    import cv2

    was, is_now = views.begun.detail, views.now.detail
    grain = views.begun.grain_of_detail
    left = shared_grain(grain, views.grain_kept)
    box = (max(3, round(views.begun.skin.picture.px(WINDOW_MM))),) * 2

    def within(plane: Plane, known: Plane) -> Plane:
        return np.asarray(cv2.blur(plane * known, box), dtype=np.float32)

    worst, place, at = 1.0, None, ""
    for region, inside in views.begun.others.items():
        known = inside.astype(np.float32)
        count = np.maximum(within(known, known), 1e-6)
        power = within(was * was, known) / count - np.float32(grain)
        shared = within(was * is_now, known) / count - np.float32(left)
        tells = inside & (power > LEAST_DETAIL_L**2)
        if not tells.any():
            continue
        usual = np.median(power[tells])  # what is beyond it may be glints, which may go
        shares = shared[tells] / np.minimum(power[tells], usual)
        value = float(np.percentile(shares, LEAST_OF_IT))
        if value < worst:
            worst, at = value, region.label
            place = _place(views, tells, int(np.argmin(shares)))
    return Reading(max(0.0, worst), place, at)


def _place(views: Views, inside: Mask, number: int) -> tuple[float, float]:
    """x, y in the photo of one of the pixels of a mask."""
    y, x = (int(axis[number]) for axis in np.nonzero(inside))
    return views.begun.skin.middle_of(float(x), float(y))


ROWS = (
    Row("other_colour", "Colour moved beside skin", "ΔE",
        "How far the colour of lips, eyes, brows, hair or clothes moved, over a tenth of the one "
        "that moved most.", other_colour, too_much="another colour", quick=True,
        advice="weaken what colours it, or mask it out"),
    Row("other_detail", "Detail kept beside skin", "%",
        "What is left of what is finer than 3 mm in lips, eyes, brows, hair or clothes, where the "
        "one that lost most lost most.", other_detail, too_little="smeared", quick=True,
        advice="mask it out of what smooths it"),
)  # fmt: skip
