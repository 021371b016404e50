"""Blotches, between pore size and modelling: what to take out of skin to even it.

Redness follows from shade on every skin: where less light falls its colour is another one, by the
camera's curve and by light that went through skin. What does not follow is blotches. So redness
is first fitted by shade at all sizes, with outliers left out; the rest, without what is steep
(folds, nostrils, lids), between two blurs, is what blood differs by. Not all of it is blotches:
healthy skin has some, of nearly the same spread on everybody. Of what there is so much is taken as
exceeds that (Wiener 1949), so that evening what was evened changes nothing: docs/even.md.

Shade itself is form, not blotches, wherever it is long or lies on a slope. Only round, flat spots
of it count, and only as far as they stand out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.labs import lab_of
from lather.core.tone.chromophores import BLOOD, REDNESS_OF_BLOOD, pigment, redness, take_out
from lather.core.tone.robust_fit import MAD_TO_SIGMA, unexplained
from lather.core.tone.skin_picture import SkinPicture

FINE_MM, COARSE_MM = 1.0, 16.0  # sigmas between which blood and pigment are evened
SHADE_FINE_MM, SHADE_COARSE_MM = 1.0, 5.0  # and shade
SHADE_BANDS_MM = (0.7, 1.4, 2.8, 5.6, 11.2, 22.4)
SHADE_MM = 0.5
STEEP_MM, STEEP = 1.0, 0.08  # shade a millimetre, as a logarithm, from which form is likely
HEALTHY = 0.021  # spread of blood's band on skin without blotches
PIGMENT_SHARE, SHADE_SHARE = 0.35, 0.5
FOREIGN_SPREADS, FOREIGN_MM = 6.0, 0.8  # from which a colour is none of the skin's; over it
MOST_SPREADS = 2.0  # beyond it a pixel is an outlier of blood, not a blotch
PIGMENT_FROM, SHADE_FROM = 2.5, 3.0  # spreads of the band up to which nothing is done
ROUND = 0.5  # least curvature against most, of a spot of shade
HELPED_MM, HELPS_FULLY = 5.0, 0.1  # a* around this far; by this share more even
LEAST_TRUST = 0.2  # share of the surroundings that are flat, plain skin
RIM_MM = 0.6  # over which the maps fade towards what is no skin


@dataclass(frozen=True, eq=False)
class EvenMaps:
    """What to take out, (h, w) each: densities of blood and pigment, and of shade (negative where
    a spot is too light)."""

    blood: Plane
    pigment: Plane
    shade: Plane

    def limited(self, share: Plane) -> EvenMaps:
        return EvenMaps(self.blood * share, self.pigment * share, self.shade * share)


def even_maps(picture: SkinPicture) -> EvenMaps:
    """What to take out of everybody's skin; nothing where there is too little of it."""
    total = EvenMaps(*(np.zeros_like(picture.skin) for _ in range(3)))
    for number in picture.everybody:
        picture.cancel.check()
        mine = _of_one(picture.of_person(number))
        total = EvenMaps(
            total.blood + mine.blood, total.pigment + mine.pigment, total.shade + mine.shade
        )
    return total


def _of_one(picture: SkinPicture) -> EvenMaps:
    flat = flatness(picture)
    picture.cancel.check()
    causes = shade_causes(picture)
    picture.cancel.check()
    red, spread = unexplained(redness(picture.light), causes, picture.plain)
    red = np.clip(red, -MOST_SPREADS * spread, MOST_SPREADS * spread)
    blood = band(picture, red, flat, FINE_MM, COARSE_MM)
    blood *= np.float32(_share_of_blotches(blood[picture.plain]) / REDNESS_OF_BLOOD)
    picture.cancel.check()
    brown, brown_spread = unexplained(pigment(picture.light), causes, picture.plain)
    brown = np.clip(brown, -4 * brown_spread, 4 * brown_spread)
    brown = _standing_out(band(picture, brown, flat, FINE_MM, COARSE_MM), picture, PIGMENT_FROM)
    picture.cancel.check()
    shade = -band(
        picture, picture.light[..., 0], flat, SHADE_FINE_MM, SHADE_COARSE_MM
    )
    shade = _standing_out(shade, picture, SHADE_FROM) * roundness(shade, picture)
    near = inner(picture) * (1 - _foreign(picture))
    maps = EvenMaps(
        blood * near,
        np.float32(PIGMENT_SHARE) * brown * near,
        np.float32(SHADE_SHARE) * shade * near,
    )
    picture.cancel.check()
    return maps.limited(_helped(picture, maps))


def _share_of_blotches(held: Plane) -> float:
    """0-1: how much of blood's band on plain skin is more than healthy skin has."""
    spread = MAD_TO_SIGMA * float(np.median(np.abs(held))) if held.size else 0.0
    return max(0.0, 1 - (HEALTHY / spread) ** 2) if spread > 0 else 0.0


def evened_rgb(picture: SkinPicture, maps: EvenMaps) -> FloatImage:
    """(h, w, 3): the picture with blood and pigment taken out."""
    out = np.ones((*picture.skin.shape, 4), dtype=np.float32)
    out[..., :3] = picture.rgb
    take_out(out, maps.blood, maps.pigment)
    return np.ascontiguousarray(out[..., :3])


def _foreign(picture: SkinPicture) -> Plane:
    """(h, w) 0-1: where the colour is none of this skin's, over more than a pore: ink, paint,
    plasters. They stay, and so does what lies right beside them."""
    is_other = np.zeros(picture.skin.shape, dtype=np.bool_)
    for plane in (redness(picture.light), pigment(picture.light)):
        away = np.abs(plane - np.median(plane[picture.plain]))
        is_other |= away > FOREIGN_SPREADS * MAD_TO_SIGMA * np.median(away[picture.plain])
    solid = picture.mean(is_other.astype(np.float32), picture.is_skin, FOREIGN_MM) > 0.5
    around = picture.mean(solid.astype(np.float32), picture.is_skin, 2 * FOREIGN_MM)
    return np.asarray(np.clip(5 * around, 0, 1), dtype=np.float32)


def _helped(picture: SkinPicture, maps: EvenMaps) -> Plane:
    """(h, w) 0-1: where a* is more even after than before. Elsewhere something other than blood
    colours the skin (coloured light, paint), and nothing is done."""
    power = []
    for rgb in (picture.rgb, evened_rgb(picture, maps)):
        a = np.ascontiguousarray(lab_of(rgb)[..., 1])
        away = picture.mean(a, picture.plain, FINE_MM) - picture.mean(a, picture.plain, HELPED_MM)
        power.append(picture.mean(away * away, picture.plain, HELPED_MM))
    left = np.sqrt(power[1] / np.maximum(power[0], 1e-6))
    return np.asarray(np.clip((1 - left) / HELPS_FULLY, 0, 1), dtype=np.float32)


def shade_causes(picture: SkinPicture) -> list[Plane]:
    """What the colour of even skin follows from: shade as a cubic, and its bands by size.

    Shade is red light with what blood takes of it given back: else on evenly lit skin blood would
    explain itself.
    """
    given_back = np.float32(BLOOD[0] / REDNESS_OF_BLOOD) * redness(picture.light)
    light = np.ascontiguousarray(picture.light[..., 0] + given_back)
    shade = picture.mean(light, picture.plain, SHADE_MM)
    blurred = [picture.mean(light, picture.plain, sigma) for sigma in SHADE_BANDS_MM]
    bands = [fine - coarse for fine, coarse in zip(blurred, blurred[1:], strict=False)]
    return [shade, shade * shade, shade**3, *bands]


def flatness(picture: SkinPicture) -> Plane:
    """(h, w) 0-1: plain skin that lies on no steep form."""
    shade = picture.mean(np.ascontiguousarray(picture.light[..., 0]), picture.plain, STEEP_MM)
    down, across = np.gradient(shade)
    steep = np.hypot(down, across) / np.float32(picture.mm_per_px * STEEP)
    return np.asarray(picture.plain / (1 + steep**2), dtype=np.float32)


def band(
    picture: SkinPicture, plane: Plane, weight: Plane, fine_mm: float, coarse_mm: float
) -> Plane:
    """Between two blurs, less where little of the surroundings counts."""
    from lather.core.filter.gaussian import gaussian

    fine = picture.mean(plane, weight, fine_mm) - picture.mean(plane, weight, coarse_mm)
    share, skin = (
        gaussian(np.asarray(w, dtype=np.float32)[..., None], picture.rect, picture.px(fine_mm))
        .reshape(picture.skin.shape)
        for w in (weight, picture.plain)
    )  # fmt: skip
    trust = np.clip(1.5 * share / np.maximum(skin, 1e-3), 0, 1) * (share > LEAST_TRUST * 0.1)
    return np.asarray(fine * trust, dtype=np.float32)


def roundness(plane: Plane, picture: SkinPicture) -> Plane:
    """(h, w) 0-1: 1 on round spots of a band, 0 on what is long: folds, edges, hairs."""
    from lather.core.filter.gaussian import gaussian

    smooth = gaussian(
        plane[..., None], picture.rect, picture.px(SHADE_FINE_MM)
    ).reshape(plane.shape)
    down, across = np.gradient(smooth)
    yy, yx = np.gradient(down)
    _, xx = np.gradient(across)
    middle, away = (xx + yy) / 2, np.hypot((xx - yy) / 2, yx)
    # Both curvatures against the spot: a hill of a light one, a dip of a dark one.
    towards = -np.sign(plane) * middle
    ratio = (towards - away) / np.maximum(towards + away, 1e-9)
    return np.asarray(np.clip(ratio / ROUND, 0, 1) * (towards > away), dtype=np.float32)


def inner(picture: SkinPicture) -> Plane:
    """(h, w) 0-1: skin, fading towards what is none, and not on marks that stay."""
    from lather.core.filter.gaussian import gaussian

    skin = gaussian(
        np.asarray(picture.is_skin, dtype=np.float32)[..., None], picture.rect,
        picture.px(RIM_MM),
    ).reshape(picture.skin.shape)  # fmt: skip
    return np.asarray(picture.skin * np.clip(2 * skin - 1, 0, 1), dtype=np.float32)


def _standing_out(plane: Plane, picture: SkinPicture, spreads: float) -> Plane:
    """What of a band exceeds so many of its spreads."""
    held = plane[picture.plain]
    least = spreads * MAD_TO_SIGMA * float(np.median(np.abs(held))) if held.size else 0.0
    return np.asarray(np.sign(plane) * np.maximum(np.abs(plane) - least, 0), dtype=np.float32)
