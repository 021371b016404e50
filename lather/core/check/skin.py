"""What is measured of skin, before and after: the definitions, once for window, report and tests.

Texture is lightness finer than a Gaussian of 0.5 mm; its energy is the rms in L* with the grain's
variance taken off. What is kept of it is the part that is correlated with the start: grain that
was put back, or pores from elsewhere, are not this skin's. It is compared place by place, over
2 mm, and the median of a part is what is told. Modelling is lightness after a Gaussian of 10 mm;
blotches lie between 1 and 5 mm.
"""

from __future__ import annotations

import math

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import ciede2000
from lather.core.colour.labs import lab_of
from lather.core.tone.skin_picture import SkinPicture

TEXTURE_MM, MODELLING_MM = 0.5, 10.0
SHINES_ON_MM = 3.0  # around a patch of shine, where skin still glitters
LEAST_MATT = 0.2  # share of a part that does not shine, to measure it by
LOCAL_MM = 2.0  # over which texture is compared
GLINTS = 2.0  # times the usual mean square of texture, beyond which it is glints
LEAST_TOLD = 0.3  # of a piece of skin, for its texture to be told
WINDOW_MM, LEAST_OF_WINDOW = 10.0, 0.6  # side of a window of texture; what must be skin of it
LEAST_ABOVE_GRAIN, CLEARLY_ABOVE = 2.0, 4.0  # times grain's variance, to tell texture from it
BLOTCH_FINE_MM, BLOTCH_COARSE_MM = 1.0, 5.0

Three = tuple[float, float, float]


def fine_lightness(lightness: Plane, sigma_px: float) -> Plane:
    """(h, w): L* minus its Gaussian: texture, with the grain that is in it."""
    import cv2

    smooth = cv2.GaussianBlur(lightness, (0, 0), max(sigma_px, 0.3), borderType=cv2.BORDER_REFLECT)
    return np.asarray(lightness - smooth, dtype=np.float32)


def grain_variance(sigma_l: float, sigma_px: float) -> float:
    """What white noise of that sigma leaves above a Gaussian of that many pixels: of the kernel d -
    g, the sum of squares 1 - 2 g(0) + sum g^2."""
    if sigma_px < 0.3:
        return 0.0
    middle = 1 / (2 * math.pi * sigma_px**2)
    return sigma_l**2 * max(0.0, 1 - 2 * middle + middle / 2)


def texture_energy(mean_square: float, grain: float) -> float:
    """Rms of L* of the texture, of its mean square and the variance of the grain in it."""
    return math.sqrt(max(0.0, mean_square - grain))


def shares_left(
    now: Plane, start: Plane, grain: float, left: float, most: float = math.inf,
    above: float = LEAST_ABOVE_GRAIN,
) -> Plane:  # fmt: skip
    """(h, w): which share of the texture is left around each pixel; NaN where it cannot be told
    from grain.

    Parameters
    ----------
    now : (h, w) local mean of the start's fine lightness times the present one: what is correlated
        with the start; or of the present one's square: energy, whatever it is of.
    start : (h, w) local mean of the square of the start's.
    grain : variance of the start's grain.
    left : variance of the grain that `now` has of it: of a product no more than both share.
    most : mean square beyond which the start's is no texture of this skin: glints may go.
    above : times the grain that the start's must be, to tell anything by it.
    """
    there = start > above * grain + 1e-6
    power = np.maximum(np.minimum(start, np.float32(most)) - np.float32(grain), 1e-6)
    # Of texture from elsewhere a product has no grain either.
    most_left = np.float32(grain) * np.clip(now / np.maximum(start, 1e-6), 0, 1)
    rest = now - np.minimum(np.float32(left), most_left)
    return np.where(there, rest / power, np.float32(np.nan)).astype(np.float32)


def usual_share(shares: Plane, weight: Plane) -> float:
    """Share of the texture that most of a piece of skin has left: the median of the shares around
    its pixels, so that a crease or a glint, which are rough, count for no more than their area.

    1 where too little of it can be told from grain: what stands out of grain is marks, not skin.
    """
    counts = weight > 0.5
    held = shares[counts & ~np.isnan(shares)]
    return float(np.median(held)) if held.size > LEAST_TOLD * counts.sum() else 1.0


def least_share(shares: Plane, weight: Plane, side_px: float) -> tuple[float, int, int] | None:
    """The least of the means of shares in square windows of skin, and x, y of its middle; None
    where no window holds enough of it. A share beyond 1 does not make up for what is lost."""
    import cv2

    there = (weight > 0.5) & ~np.isnan(shares)
    known = there.astype(np.float32)
    box = (max(1, round(side_px)),) * 2
    count = cv2.blur(known, box, borderType=cv2.BORDER_CONSTANT)
    total = cv2.blur(np.where(there, np.clip(shares, 0, 1), 0).astype(np.float32), box,
                     borderType=cv2.BORDER_CONSTANT)  # fmt: skip
    means = np.where((count > LEAST_OF_WINDOW) & there, total / np.maximum(count, 1e-6), np.inf)
    y, x = np.unravel_index(int(np.argmin(means)), means.shape)
    return (float(means[y, x]), int(x), int(y)) if np.isfinite(means[y, x]) else None


def glossy(picture: SkinPicture, shine: Plane) -> Plane:
    """(h, w) 0-1: where skin glitters, around patches of shine: glints are no texture of it, and a
    highlight is none of its form."""
    mean = picture.mean(shine, picture.is_skin, SHINES_ON_MM)
    return np.asarray(np.clip(4 * mean, 0, 1), dtype=np.float32)


def matt(weight: Plane, gloss: Plane) -> Plane:
    """(h, w): what of a weight does not shine; all of it where too little would be left."""
    left = np.asarray(weight * (1 - gloss), dtype=np.float32)
    return left if left.sum() > LEAST_MATT * weight.sum() else weight


def blotch_rms(picture: SkinPicture, where: Plane | None = None) -> Three:
    """Rms of L*, a*, b* between 1 and 5 mm on plain skin, or on a share of it."""
    weight = picture.plain * (1.0 if where is None else where)
    total = float(weight.sum())
    if total <= 0:
        return 0.0, 0.0, 0.0
    bands = blotches(picture)
    return _three([math.sqrt(float((band**2 * weight).sum()) / total) for band in bands])


def blotches(picture: SkinPicture) -> list[Plane]:
    """(h, w) each, of L*, a*, b*: what is between 1 and 5 mm."""
    lab = lab_of(picture.rgb)
    bands = []
    for channel in range(3):
        plane = np.ascontiguousarray(lab[..., channel])
        sigmas = BLOTCH_FINE_MM, BLOTCH_COARSE_MM
        fine, coarse = (picture.mean(plane, picture.plain, sigma) for sigma in sigmas)
        bands.append(fine - coarse)
    return bands


def large_light(picture: SkinPicture, weight: Plane) -> Plane:
    """(h, w): L* after a Gaussian of 10 mm, of what a weight takes in."""
    lightness = np.ascontiguousarray(lab_of(picture.rgb)[..., 0])
    return picture.mean(lightness, weight, MODELLING_MM)


def modelling(light: Plane, weight: Plane) -> float:
    """Rms of large-scale lightness about its mean, where a weight says so."""
    total = float(weight.sum())
    if total <= 0:
        return 0.0
    mean = float((light * weight).sum()) / total
    return math.sqrt(float(((light - mean) ** 2 * weight).sum()) / total)


def modelling_kept(start: Plane, now: Plane, weight: Plane) -> float:
    """Share of the start's large-scale light that is still there: by correlation, as texture is."""
    total = float(weight.sum())
    if total <= 0:
        return 1.0
    a, b = (plane - float((plane * weight).sum()) / total for plane in (start, now))
    power = float((a * a * weight).sum())
    return max(0.0, float((a * b * weight).sum()) / power) if power > 1e-6 * total else 1.0


def colour_shift(start: FloatImage, now: FloatImage, weight: Plane) -> float:
    """Mean CIEDE2000 between two pictures where a weight says so."""
    where = weight > 0.05
    if not where.any():
        return 0.0
    away = ciede2000(lab_of(start)[where], lab_of(now)[where])
    return float((away * weight[where]).sum() / weight[where].sum())


def _three(values: list[float]) -> Three:
    light, a, b = values
    return light, a, b
