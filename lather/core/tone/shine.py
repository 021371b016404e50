"""Shine: where a light is seen in the skin, and what the skin would be without it.

Skin sends back two lights: its own, with its colour, and a mirrored one with the lamp's (Shafer
1985, "Using color to separate reflection components"). Where the mirrored one is strong the colour
fades, more in blue than in green, beyond what more light alone would do to it; the camera's curve,
which fades colours too, is fitted on this skin. The mirrored light is also rough, since every pore
throws a glint of its own. Lit form has neither. A patch stands out, fades and is rough, and its
rim lies within the person: of all three it is weighed how much they speak for shine, and what is
not certain is left, or taken in part. What is faint cannot be told from form; light along the
person's outline is lit form.

The skin's own colour is then a membrane over the patch from its rim, which is drawn where the
fading ends; each round draws it anew by the last one's colour. (A separation by chroma pixel by
pixel, after Tan and Ikeuchi 2005, comes out worse: most of the strong patches are near clipping,
where no chroma is left. docs/even.md has the figures.)
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.labs import lab_of
from lather.core.mend.membrane import fill_membrane
from lather.core.rect import Rect
from lather.core.tone.skin_picture import CLIPPED, FLOOR, SkinPicture, disc, encoded_light

Flags = NDArray[np.bool_]

NEAR_MM, AROUND_MM = 1.0, 10.0  # what stands out, from what
SMOOTH_MM = 0.8
RISES, WHITENS = 0.25, 0.1  # of a clear patch: logarithm of light; share of white in its light
SEED, LOW = 1.2, 0.35  # shares of both, where a patch begins and how far it may reach
SHADE_RANGE = (10, 80)  # percentiles of lightness by which fading with light is fitted
ROUNDS = 4
RIM_MM, GROWS_MM = 1.0, 1.5
REACHES_MM, SOFT_MM = 1.5, 0.8  # beyond a patch's rim, where its fading fades out
FADES_FROM, FADES_FULL = 0.03, 0.12  # fading in green and blue, from no shine to all of it
LEAST_RISE = 0.05
# Where each of them speaks for shine as much as against it, and over how much that changes: fading
# (as a logarithm) and roughness of the strongest part, the shares of the rim on what is no skin,
# and, a little further out, on what lies beyond the person's outline.
FADE, ROUGH, BROKEN, OUTLINE = (0.25, 0.15), (0.58, 0.2), (0.22, 0.03), (0.08, 0.02)
OUTLINE_MM = (2.0, 3.0)
LEAST_CERTAIN, CERTAIN = 0.3, 0.7  # from which a patch is taken at all, and in full
HOPELESS = 0.05  # up to which a patch is given up before the last round
LEAST_MM2 = 12.0
SHADE_PRIOR, STEEPEST = 0.03, 1.5  # as logarithms of light; of green or blue against red
LEAST_MATT_MM2 = 400.0  # to fit on, without what may shine
STRONGEST = 70  # percentile of fading from which a patch's strongest part is taken


@dataclass(frozen=True, eq=False)
class ShinePatch:
    """One patch of shine.

    Attributes
    ----------
    label : in `Shine.labels`.
    x, y : centre, pixels of the picture that was looked at.
    area_mm2 : of it.
    above_l : mean L* above the skin's own colour.
    clipped : share of it, 0-1, in which a channel is clipped.
    certainty : 0-1.
    """

    label: int
    x: float
    y: float
    area_mm2: float
    above_l: float
    clipped: float
    certainty: float


@dataclass(frozen=True, eq=False)
class Shine:
    """The shine of a picture.

    Attributes
    ----------
    patches : the largest effect first.
    labels : (h, w) int32, 0 where there is none.
    weight : (h, w) 0-1, how far a pixel shines, less where that is not certain.
    covered : (h, w) where a patch hides the light that the skin has of its own; see `own_light`.
    own : (h, w, 3) logarithms of that light.
    above : (h, w) L* above it, signed.
    """

    labels: NDArray[np.int32]
    weight: Plane
    covered: Flags
    own: FloatImage
    above: Plane
    patches: tuple[ShinePatch, ...] = field(default=())

    def of(self, labels: set[int]) -> Plane:
        """The weight of some patches alone."""
        return np.where(np.isin(self.labels, list(labels)), self.weight, np.float32(0))


def no_shine(picture: SkinPicture) -> Shine:
    nothing = np.zeros_like(picture.skin)
    return Shine(nothing.astype(np.int32), nothing, nothing > 0, picture.light, nothing)


def find_shine(picture: SkinPicture, rough: Plane, beyond: Plane | None = None) -> Shine:
    """The patches of shine in a picture, each person's by their own skin.

    Parameters
    ----------
    rough : (h, w) logarithm of the rms of lightness finer than 0.5 mm around each pixel.
    beyond : (h, w) 0-1, what the person's outline is seen against, if that is known.
    """
    total = no_shine(picture)
    outside = np.zeros_like(rough) if beyond is None else beyond
    for number in picture.everybody:
        mine = _of_one(picture.of_person(number), rough, outside)
        total = mine if not total.patches else _together(total, mine)
    return total


def _together(one: Shine, other: Shine) -> Shine:
    """The shine of two people, whose skin lies apart."""
    highest = int(one.labels.max())
    is_other = other.labels > 0
    patches = (*one.patches, *(replace(p, label=p.label + highest) for p in other.patches))
    return Shine(
        np.where(is_other, other.labels + highest, one.labels).astype(np.int32),
        np.maximum(one.weight, other.weight),
        one.covered | other.covered,
        np.where(is_other[..., None], other.own, one.own),
        np.where(is_other, other.above, one.above),
        tuple(sorted(patches, key=lambda patch: -patch.area_mm2 * patch.above_l)),
    )


def _of_one(picture: SkinPicture, rough: Plane, beyond: Plane) -> Shine:
    picture.cancel.check()
    patches = _candidates(picture)
    certainty = np.zeros_like(rough)
    rougher = rough - np.float32(np.median(rough[picture.plain]))
    slopes = _fading_with_light(picture, patches)
    fade = own = None
    for _ in range(ROUNDS):
        picture.cancel.check()
        if not patches.any():
            return no_shine(picture)
        own = own_light(picture, patches)
        rise = picture.light - own
        fades = rise[..., 1] + rise[..., 2] - sum(slopes) * rise[..., 0]
        fade = picture.mean(np.ascontiguousarray(fades), picture.is_skin, SMOOTH_MM)
        brighter = picture.mean(np.ascontiguousarray(rise[..., 1]), picture.is_skin, SMOOTH_MM)
        near = _grown(patches, picture.px(GROWS_MM))
        shows = (fade > FADES_FROM) & (brighter > LEAST_RISE) & near & picture.is_skin
        certainty = _certainty(shows, fade, rougher, beyond, picture)
        patches = _with_islands(certainty > HOPELESS, picture)
    assert fade is not None and own is not None
    patches = _with_islands(certainty > LEAST_CERTAIN, picture)
    if not patches.any():
        return no_shine(picture)
    return _measured(patches, fade, certainty, own, picture)


def _candidates(picture: SkinPicture) -> Flags:
    """What is lighter and whiter than the skin around."""
    linear = np.exp(picture.light) - FLOOR
    picture.cancel.check()
    white, total = _share_of_white(linear, picture)
    light = np.log(total + FLOOR)

    def stands_out(plane: Plane) -> Plane:
        near, around = (picture.mean(plane, picture.plain, s) for s in (NEAR_MM, AROUND_MM))
        return near - around

    clear = np.minimum(stands_out(light) / RISES, stands_out(white) / WHITENS)
    clear = np.where(picture.is_skin, clear, 0)
    _, labels = cv2.connectedComponents((clear > LOW).astype(np.uint8), connectivity=4)
    seeds = np.unique(labels[clear > SEED])
    return np.isin(labels, seeds[seeds > 0])


def _share_of_white(linear: FloatImage, picture: SkinPicture) -> tuple[Plane, Plane]:
    """The share of white in each pixel's light, if the rest has this skin's middle colour, and the
    light itself: least squares of two colours."""
    held = linear[picture.plain]
    total = held.mean(-1)
    low, high = np.percentile(total, (35, 85))
    middle = held[(total >= low) & (total <= high)]
    colour = np.median(middle / np.maximum(middle.sum(-1, keepdims=True), 1e-6), axis=0)
    colour = colour / max(float(np.linalg.norm(colour)), 1e-6)
    along = float(colour.sum()) / math.sqrt(3)
    by_colour, by_white = linear @ colour, linear.sum(-1) / np.float32(math.sqrt(3))
    white = (by_white - along * by_colour) / max(1 - along**2, 1e-4) / math.sqrt(3)
    light = np.maximum(linear.mean(-1), 0)
    return (white / np.maximum(light, 1e-3)).astype(np.float32), light.astype(np.float32)


def _fading_with_light(picture: SkinPicture, patches: Flags) -> tuple[float, float]:
    """How fast green and blue rise where red rises by one, in logarithms, without any shine."""
    red = picture.light[..., 0]
    matt = picture.plain & ~_grown(patches, picture.px(AROUND_MM))
    if picture.mm2(float(matt.sum())) < LEAST_MATT_MM2:
        matt = picture.plain
    low, high = np.percentile(red[matt], SHADE_RANGE)
    where = matt & (red >= low) & (red <= high)

    def bands(channel: int) -> Plane:  # of the pixels that count, one after the other
        plane = np.ascontiguousarray(picture.light[..., channel])
        near, around = (picture.mean(plane, picture.is_skin, s) for s in (NEAR_MM, 8.0))
        return np.asarray((near - around)[where], dtype=np.float32)

    red_bands = bands(0)
    # As if every pixel had that much shade of which all channels have the same: where there is
    # hardly any, nothing is known of the curve.
    known = red_bands.size * SHADE_PRIOR**2
    power = float(red_bands @ red_bands) + known
    green, blue = ((float(bands(c) @ red_bands) + known) / power for c in (1, 2))
    return min(max(green, 1.0), STEEPEST), min(max(blue, 1.0), STEEPEST)


def own_light(picture: SkinPicture, patches: Flags) -> FloatImage:
    """(h, w, 3): logarithms of the skin's own light, a membrane over the patches from the plain
    skin around."""
    wide = _grown(patches, picture.px(RIM_MM))
    known = picture.plain & ~wide
    box = Rect.of_mask(wide).grown(round(picture.px(4.0))).intersect(picture.rect)
    own = picture.light.copy()
    inside = box.slices
    if known[inside].any():
        own[inside] = fill_membrane(
            np.ascontiguousarray(picture.light[inside]), ~known[inside]
        )
    return own


def _certainty(
    shows: Flags, fade: Plane, rougher: Plane, beyond: Plane, picture: SkinPicture
) -> Plane:
    """(h, w) 0-1: of what fades, how certain it is shine and no lit form; 0 elsewhere."""
    certainty = np.zeros_like(fade)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(shows.astype(np.uint8), connectivity=4)
    for label in range(1, len(stats)):
        x, y, width, height, n_px = (int(v) for v in stats[label])
        if picture.mm2(n_px) < LEAST_MM2:
            continue
        box = Rect(x, y, x + width, y + height).grown(round(picture.px(OUTLINE_MM[1])) + 1)
        here = box.intersect(picture.rect).slices
        patch = labels[here] == label
        strongest = patch & (fade[here] >= np.percentile(fade[here][patch], STRONGEST))
        rim = _grown(patch, picture.px(0.6)) & ~patch
        fades = max(float(np.median(fade[here][strongest])), FADES_FROM)
        rough = float(rougher[here][strongest].mean())
        broken = float(1 - picture.is_skin[here][rim].mean())
        near, far = (_grown(patch, picture.px(mm)) for mm in OUTLINE_MM)
        outline = float((beyond[here][far & ~near] > 0.5).mean()) if (far & ~near).any() else 0.0
        certainty[here][patch] = (
            _speaks_for(math.log(fades / FADE[0]), 0.0, FADE[1]) * _speaks_for(rough, *ROUGH)
            * (1 - _speaks_for(broken, *BROKEN)) * (1 - _speaks_for(outline, *OUTLINE))
        )  # fmt: skip
    return certainty


def _speaks_for(value: float, middle: float, over: float) -> float:
    """0-1: a logistic curve, a half at its middle."""
    return 1 / (1 + math.exp(-min(max((value - middle) / over, -30.0), 30.0)))


def _with_islands(patches: Flags, picture: SkinPicture) -> Flags:
    """Patches with the skin that lies inside of them: an island that was left would shine on."""
    outside = np.pad(~patches, 1, constant_values=True).astype(np.uint8)
    _, labels = cv2.connectedComponents(outside, connectivity=4)
    inside = (labels != labels[0, 0])[1:-1, 1:-1]
    return np.asarray(patches | (inside & picture.is_skin))


def _measured(
    patches: Flags, fade: Plane, certainty: Plane, own: FloatImage, picture: SkinPicture
) -> Shine:
    soft = picture.px(SOFT_MM)
    weight = np.clip((fade - FADES_FROM) / (FADES_FULL - FADES_FROM), 0, 1)
    reached = _grown(patches, picture.px(REACHES_MM))
    weight = weight * cv2.GaussianBlur(reached.astype(np.float32), (0, 0), soft)
    weight = (weight * picture.is_skin).astype(np.float32)
    n, labels = cv2.connectedComponents(_grown(reached, 3 * soft).astype(np.uint8))
    above = above_l(picture.light, own)
    clipped = picture.rgb.max(-1) >= CLIPPED
    found = []
    for label in range(1, n):
        mine = (labels == label) & patches
        ys, xs = np.nonzero(mine)
        certain = float(certainty[mine].max())
        weight[labels == label] *= np.float32(
            np.clip((certain - LEAST_CERTAIN) / (CERTAIN - LEAST_CERTAIN), 0, 1)
        )
        found.append(ShinePatch(
            label=label, x=float(xs.mean()) + 0.5, y=float(ys.mean()) + 0.5,
            area_mm2=picture.mm2(float(mine.sum())), above_l=float(above[mine].mean()),
            clipped=float(clipped[mine].mean()), certainty=certain,
        ))  # fmt: skip
    found.sort(key=lambda patch: -patch.area_mm2 * patch.above_l)
    return Shine(labels.astype(np.int32), weight, patches, own, above, tuple(found))


def above_l(light: FloatImage, own: FloatImage) -> Plane:
    """(h, w): L* of logarithms of light above that of others, signed."""
    above, below = (lab_of(encoded_light(one))[..., 0] for one in (light, own))
    return np.asarray(above - below, dtype=np.float32)


def _grown(patches: Flags, radius_px: float) -> Flags:
    return np.asarray(cv2.dilate(patches.astype(np.uint8), disc(radius_px)) > 0)
