"""What is measured of skin, before and after: the definitions, once for window, report and tests.

Texture is lightness finer than a Gaussian of 0.5 mm; its energy is the rms in L* with the grain's
variance taken off. What is kept of it is the part that is correlated with the start: grain that
was put back, or pores from elsewhere, are not this skin's. Modelling is lightness after a Gaussian
of 10 mm; blotches lie between 1 and 5 mm.
"""

from __future__ import annotations

import math

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import ciede2000
from lather.core.colour.labs import lab_of
from lather.core.tone.skin_picture import SkinPicture

TEXTURE_MM, MODELLING_MM = 0.5, 10.0
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


def texture_kept(product: float, start_square: float, grain: float = 0.0) -> float:
    """Share of the start's texture that is still there.

    Parameters
    ----------
    product : mean of the start's fine lightness times the present one.
    start_square : mean square of the start's.
    grain : variance of grain that both share, so that keeping it counts for nothing.
    """
    texture = start_square - grain
    if texture <= 1e-6:
        return 1.0
    return max(0.0, (product - grain * min(1.0, product / max(start_square, 1e-9))) / texture)


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
