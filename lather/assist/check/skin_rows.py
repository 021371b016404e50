"""Rows on skin as a whole: texture, sharpness, grain, form, colour, evenness."""

from __future__ import annotations

import math

import numpy as np

from lather.assist.check.reading import Reading, Row
from lather.assist.check.views import Views
from lather.assist.even.scores import where
from lather.core.arrays import Plane
from lather.core.check import skin as measure
from lather.core.check.edges import Mask
from lather.core.check.limits import FLAT, PLASTIC, SHIFTED
from lather.core.colour.lab import ciede2000
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part
from lather.render.measured import render_lightness

LEAST_GLOSS, MOST_PLACES = 0.1, 4000
GRAIN_SIDE_PX, GRAIN_BLOCKS, LEAST_BLOCKS = 64, 40, 4
LEAST_GRAIN_L = 0.15  # with less the photo has none


def texture_kept(views: Views) -> Reading:
    start, product, _ = views.local_texture
    local = np.asarray(product / np.maximum(start, np.float32(1e-6)), dtype=np.float32)
    return _lowest(views, _usual_shares(views, product, kept=True), local)


def sharpness(views: Views) -> Reading:
    _, _, now = views.local_texture
    return _furthest(views, _usual_shares(views, now, kept=False), "sharpness")


def _usual_shares(views: Views, now: Plane, *, kept: bool) -> dict[Part, float]:
    start, grain = views.local_texture[0], views.texture.grain
    return {part: measure.usual_share(now, start, matt, grain, kept=kept)
            for part, (_, matt) in views.begun.weights.items()}  # fmt: skip


def modelling_kept(views: Views) -> Reading:
    begun = views.begun
    start, now = begun.light, views.now.large_light(begun.matt)
    parts = {part: measure.modelling_kept(start, now, matt)
             for part, (_, matt) in begun.weights.items()}  # fmt: skip
    return _furthest(views, parts, "modelling_kept")


def colour_shift(views: Views) -> Reading:
    away = _difference(views)
    parts = {part: float((away * matt).sum() / matt.sum())
             for part, (_, matt) in views.begun.weights.items()}  # fmt: skip
    return _furthest(views, parts, "colour_shift")


def colour_largest(views: Views) -> Reading:
    """Of the means over 3 mm, so that a mended spot is none; shine may go altogether."""
    counts = views.begun.skin.picture.plain & (views.begun.glossy < LEAST_GLOSS)
    start, now = views.begun.means, views.now.means
    # Of what is far apart in Lab, the furthest by the formula.
    far = np.where(counts, np.square(now - start).sum(-1), 0.0)
    n = min(MOST_PLACES, far.size)
    places = np.argpartition(far.ravel(), -n)[-n:]
    away = ciede2000(start.reshape(-1, 3)[places], now.reshape(-1, 3)[places])
    away *= counts.ravel()[places]
    y, x = np.unravel_index(places[int(np.argmax(away))], far.shape)
    return Reading(float(away.max()), views.begun.skin.middle_of(float(x), float(y)))


def evenness(views: Views) -> Reading:
    """What is left of the start's unevenness between 1 and 5 mm."""
    square_was, square_now = views.begun.unevenness, views.now.unevenness
    parts = {}
    for part, (weight, _) in views.begun.weights.items():
        was, now = (float((s * weight).sum()) for s in (square_was, square_now))
        parts[part] = _quotient(math.sqrt(now), math.sqrt(was))
    return _lowest(views, parts)


def grain(views: Views) -> Reading:
    """Of skin that was touched against skin that was not, each against the start."""
    skin = views.sure_skin & ~views.shining
    ratios, places = [], []
    for mask in (views.touched & skin, ~views.touched & skin):
        found = [(ratio, place) for place in _spread(views, mask)
                 if (ratio := _grain_ratio(views, *place)) is not None]  # fmt: skip
        ratios.append([ratio for ratio, _ in found])
        places.append([place for _, place in found])
    touched, rest = ratios
    if len(touched) < LEAST_BLOCKS:
        return Reading(1.0)
    usual = float(np.median(rest)) if len(rest) >= LEAST_BLOCKS else 1.0
    middle = float(np.median(touched))
    nearest = int(np.argmin(np.abs(np.asarray(touched) - middle)))
    return Reading(middle / usual, places[0][nearest])


def _spread(views: Views, mask: Mask) -> list[tuple[float, float]]:
    """Places of the photo, spread over where a mask holds in a whole block."""
    import cv2

    side = 1 << views.close.level
    solid = cv2.erode(mask.astype(np.uint8), np.ones((max(1, GRAIN_SIDE_PX // side),) * 2))
    places = np.argwhere(solid > 0)
    chosen = places[:: max(1, len(places) // GRAIN_BLOCKS)][:GRAIN_BLOCKS]
    return [((x + 0.5) * side, (y + 0.5) * side) for y, x in chosen]


def _grain_ratio(views: Views, x: float, y: float) -> float | None:
    """Of a block, now against the start; None where the start has none that can be told."""
    from lather.core.filter.grain import grain_sigma_l  # SciPy: not for the first window

    views.cancel.check()
    block = Rect.around(x, y, GRAIN_SIDE_PX / 2).intersect(views.state.photo.rect)
    was, now = (
        grain_sigma_l(render_lightness(s, block) / np.float32(100))
        for s in (views.start, views.flat)
    )
    return now / was if was > LEAST_GRAIN_L else None


def _difference(views: Views) -> Plane:
    """(h, w): CIEDE2000 of each pixel of skin."""
    skin = views.begun.skin.picture.is_skin
    away = np.zeros(skin.shape, dtype=np.float32)
    start, now = views.begun.lab, views.now.lab
    away[skin] = ciede2000(start[skin], now[skin])
    return away


def _quotient(now: float, was: float) -> float:
    return now / was if was > 1e-6 else 1.0


def _lowest(views: Views, parts: dict[Part, float], local: Plane | None = None) -> Reading:
    """The part that has least left; and where in it, by a map of the shares."""
    if not parts:
        return _TOO_LITTLE
    part = min(parts, key=lambda p: parts[p])
    if local is None:
        return Reading(parts[part], views.begun.middle(part), where(part), parts)
    inside = views.begun.weights[part][1] > 0.5
    y, x = np.unravel_index(int(np.argmin(np.where(inside, local, np.inf))), local.shape)
    return Reading(parts[part], views.begun.skin.middle_of(float(x), float(y)), where(part), parts)


def _furthest(views: Views, parts: dict[Part, float], name: str) -> Reading:
    """The part that went furthest of the way to the limit."""
    if not parts:
        return _TOO_LITTLE
    bound = views.state.brief.limits.bounds[name]
    part = max(parts, key=lambda p: bound.share(parts[p]))
    return Reading(parts[part], views.begun.middle(part), where(part), parts)


_TOO_LITTLE = Reading(None, why_not="there is too little plain skin")

ROWS = (
    Row("texture_kept", "Texture kept", "%",
        "What is left of the skin's own texture, finer than 0.5 mm, on the part that lost most.",
        texture_kept, too_little=PLASTIC, quick=True,
        advice="weaken what smooths it, or paint it back"),
    Row("sharpness", "Sharpness of skin", "%",
        "Energy of the texture against the start, whatever it is of.", sharpness,
        too_little="soft", too_much="gritty", quick=True,
        advice="weaken what sharpens or softens skin"),
    Row("grain", "Grain where touched", "%",
        "Grain of touched skin against untouched skin.", grain, too_little="without grain",
        too_much="grainier than the rest", advice="match the grain of what was touched"),
    Row("modelling_kept", "Modelling kept", "%",
        "Large-scale light and shade of a part, coarser than 10 mm, against the start.",
        modelling_kept, too_little=FLAT, too_much="harder than it was", quick=True,
        advice="weaken what lights or shades the face"),
    Row("colour_shift", "Colour moved, mean", "ΔE",
        "Mean CIEDE2000 of the part that moved most.", colour_shift, too_much=SHIFTED,
        quick=True, advice="weaken what colours skin"),
    Row("colour_largest", "Colour moved, most", "ΔE",
        "The largest CIEDE2000 of means over 3 mm of plain skin.", colour_largest,
        too_much=SHIFTED, quick=True, advice="weaken what colours this place"),
    Row("evenness", "Unevenness left", "%",
        "Blotches of light and colour between 1 and 5 mm that are left, on the evenest part.",
        evenness, too_little="a mask", quick=True, advice="weaken what evens skin"),
)  # fmt: skip
