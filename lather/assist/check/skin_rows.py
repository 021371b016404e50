"""Rows on skin as a whole: texture, sharpness, grain, form, colour, evenness."""

from __future__ import annotations

import math

import numpy as np

from lather.assist.check.reading import Reading, Row
from lather.assist.check.views import Views
from lather.assist.even.scores import where
from lather.assist.grain_kept import grain_ratios
from lather.core.arrays import Plane
from lather.core.check import skin as measure
from lather.core.check.limits import FLAT, PLASTIC, SHIFTED
from lather.core.colour.lab import ciede2000
from lather.core.survey.regions.region import Part

LEAST_GLOSS, MOST_PLACES = 0.1, 4000
GRAIN_BLOCKS, LEAST_BLOCKS = 40, 4
SMALL = (Part.UNDER_EYE_LEFT, Part.UNDER_EYE_RIGHT, Part.LID_LEFT, Part.LID_RIGHT,
         Part.UPPER_LIP)  # fmt: skip


def texture_kept(views: Views) -> Reading:
    shares = _own_left(views, measure.GLINTS * views.usual_texture)
    return _lowest(views, _usual_shares(views, shares), shares)


def texture_least(views: Views) -> Reading:
    """In the worst window: a plastic patch is none of its part's median. Pores from elsewhere,
    as a mend has them, are texture here."""
    picture = views.begun.skin.picture
    matt = np.asarray(views.begun.matt * picture.plain, dtype=np.float32)
    about = views.usual_texture, measure.CLEARLY_ABOVE
    shares = np.fmax(_own_left(views, *about), _energy_left(views, *about))
    least = measure.least_share(shares, matt, picture.px(measure.WINDOW_MM))
    if least is None:
        return _TOO_LITTLE
    value, x, y = least
    return Reading(value, views.begun.skin.middle_of(float(x), float(y)))


def sharpness(views: Views) -> Reading:
    return _furthest(views, _usual_shares(views, _energy_left(views)), "sharpness")


def _own_left(views: Views, *about: float) -> Plane:
    """(h, w): which share of the start's own texture is left; `about` as for `shares_left`."""
    start, product, _ = views.local_texture
    return measure.shares_left(product, start, views.texture.grain, views.shared_grain, *about)


def _energy_left(views: Views, *about: float) -> Plane:
    """(h, w): the same of its energy, whatever it is of."""
    start, _, now = views.local_texture
    grain = views.texture.grain
    left = measure.shares_left(now, start, grain, grain * views.grain_kept**2, *about)
    return np.asarray(np.sqrt(np.maximum(left, 0)), dtype=np.float32)


def _usual_shares(views: Views, shares: Plane) -> dict[Part, float]:
    return {part: measure.usual_share(shares, matt)
            for part, (_, matt) in views.begun.weights.items()}  # fmt: skip


def modelling_kept(views: Views) -> Reading:
    begun = views.begun
    start, now = begun.light, views.now.large_light(begun.matt)
    parts = {part: measure.modelling_kept(start, now, matt)
             for part, (_, matt) in _large(views).items()}  # fmt: skip
    return _furthest(views, parts, "modelling_kept")


def light_moved(views: Views) -> Reading:
    """How far large-scale light moved at one place, against its part: one place raised and another
    flattened leave the part's contrast as it was."""
    begun = views.begun
    change = views.now.large_light(begun.matt) - begun.light
    worst, place, at = 0.0, None, ""
    for part, (_, matt) in _large(views).items():
        inside = matt > 0.5
        if not inside.any():
            continue
        away = np.where(inside, np.abs(change - np.median(change[inside])), 0)
        y, x = np.unravel_index(int(np.argmax(away)), away.shape)
        if away[y, x] > worst:
            worst, at = float(away[y, x]), where(part)
            place = begun.skin.middle_of(float(x), float(y))
    return Reading(worst, place, at)


def colour_shift(views: Views) -> Reading:
    away = _difference(views)
    parts = {part: float((away * matt).sum() / matt.sum())
             for part, (_, matt) in _large(views).items()}  # fmt: skip
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
    for part, (weight, _) in _large(views).items():
        was, now = (float((s * weight).sum()) for s in (square_was, square_now))
        parts[part] = _quotient(math.sqrt(now), math.sqrt(was))
    return _lowest(views, parts)


def grain(views: Views) -> Reading:
    """Of skin that was touched against what was not, each against the start."""
    touched = views.changed & views.sure_skin & ~views.shining
    if not touched.any():
        return Reading(None, why_not="no skin was touched")
    own, rest = (
        grain_ratios(views.start, views.flat, mask, views.close.level, GRAIN_BLOCKS, views.cancel)
        for mask in (touched, ~views.changed & ~views.shining)
    )
    if len(own) < LEAST_BLOCKS:
        return Reading(None, why_not="too little plain skin was touched to tell its grain")
    if len(rest) < LEAST_BLOCKS:
        return Reading(None, why_not="nothing was left untouched to compare its grain with")
    return Reading(float(np.median(own)) / float(np.median(rest)))


def _large(views: Views) -> dict[Part, tuple[Plane, Plane]]:
    """Parts that tone can be told from; under the eyes and on the lids it is texture alone."""
    return {part: both for part, both in views.begun.weights.items() if part not in SMALL}


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
    Row("texture_least", "Texture, least at one place", "%",
        "What is left of the skin's own texture where it lost most, over 10 mm.", texture_least,
        too_little=PLASTIC, quick=True, advice="paint the texture of this place back"),
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
    Row("light_moved", "Light moved, most", "L*",
        "How far light and shade coarser than 10 mm moved at one place against its part.",
        light_moved, too_much=FLAT, quick=True, advice="weaken what lights or shades this place"),
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
