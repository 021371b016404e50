"""Blemishes: compact deviations in pigment, blood or pus against the skin around.

Each is looked for where it shows best: pigment in red light, of which blood takes hardly any; blood
in green against red; the head of a pimple and a milk spot in blue against green, in which a glint,
that adds white, is the opposite. At every scale the skin's density is compared with the ring around
it; the difference counts in standard deviations of what the same comparison gives on the skin near
by, so that grain, pores and rough skin raise the bar where they are (scale space: Lindeberg 1998).
A candidate is then looked at by itself: it must stand on plain skin, be compact, end within its
reach, and rise more than the shading around it. Lines, edges and folds are none.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import blurred, disc
from lather.core.colour.density import Density, optical_density
from lather.core.hair.strands import without_thin_lines
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.pale import find_pale
from lather.core.survey.findings.spot import APART_MM, Spot, elongation, without_doubles
from lather.core.work import NEVER, CancelToken

SIGMAS_MM = (0.35, 0.5, 0.7, 1.0, 1.4)
HEADS_MM = SIGMAS_MM[:3]  # heads of pimples and milk spots are small
RING = 2.5  # sigma of the surroundings, in sigmas of the centre
UNEVENNESS_MM = 10.0  # within which the skin's own unevenness is measured
BORDER_MM = 0.6  # next to the edge of plain skin nothing is looked for
LEAST_RING = 0.7  # share of the surroundings that must be plain skin
CLEAR_Z, RING_IF_CLEAR = 7.0, 0.5  # what is that clear is seen at the edge of hair, too
BEARDED, BARE = 0.3, 0.02  # share of beard: between strands from; without any below
LEAST_CONTRAST = 0.06
# At the finest scale; blood is the surest sign.
LEAST_Z = {Kind.DARK: 5.0, Kind.BRIGHT: 7.0, Kind.RED: 4.3}
MOST_ELONGATION = 2.1
MOST_SLOPE = 0.45  # of the contrast, over the mark's diameter
LEAST_CLEARNESS = 3.2  # contrast against what is left on the ring
AREA_MM2 = {  # at half height
    Kind.DARK: (0.6, 60.0), Kind.RED: (1.0, 60.0), Kind.BRIGHT: (0.3, 4.0),
}  # fmt: skip
HEAD_BRIGHTER = 0.05  # density by which a head is lighter than the skin beside it
RED_SHARE = 0.6  # of darkness: blood absorbs green, pigment all colours
REDDENED_MM, LEAST_REDDENED_Z = 1.5, 4.0
CLIPPED_DENSITY, MOST_CLIPPED = 0.03, 0.02  # of red light; share of the skin


@dataclass(frozen=True)
class Scrutiny:
    """How closely places are looked at.

    Attributes
    ----------
    ring_if_clear : share of the surroundings that must be plain skin, of what is clear.
    elongation_if_red : of what is clear and red: no line is that red.
    wider_if_red : what is red is looked at so much wider, until it holds: shine breaks it up.
    """

    ring_if_clear: float = RING_IF_CLEAR
    elongation_if_red: float = 2.5
    wider_if_red: tuple[float, ...] = (1.0, 1.6, 2.4)


CLOSELY = Scrutiny()
AT_ONCE = Scrutiny(LEAST_RING, MOST_ELONGATION, (1.0,))  # only what is seen at the first look


def find_spots(
    rgb: FloatImage, plain: NDArray[np.bool_], mm_per_px: float, cancel: CancelToken = NEVER,
    density: Density | None = None, beard: Plane | None = None,
    scrutiny: Scrutiny = CLOSELY, pale_in: Density | None = None,
) -> list[Spot]:
    """Blemish-like spots, the clearest first.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    plain : (H, W) bool, skin without features.
    mm_per_px : scale; about 0.2 is fine enough for what is 1 mm wide.
    density : of the box of the plain skin, if it is known; in a beard that between its strands.
    beard : (h, w) 0-1 of that box, if there is one.
    pale_in : the density that pale spots are looked for in, if that is another one.
    """
    box = Rect.of_mask(plain)
    if box.empty:
        return []
    density = density or optical_density(np.ascontiguousarray(rgb[box.slices]))
    found = _spots_in(density, plain[box.slices], mm_per_px, cancel, beard, scrutiny,
                      pale_in or density)  # fmt: skip
    return [replace(spot, x=spot.x + box.x0, y=spot.y + box.y0) for spot in found]


def _spots_in(
    density: Density, plain: NDArray[np.bool_], mm_per_px: float, cancel: CancelToken,
    beard: Plane | None, scrutiny: Scrutiny, pale_in: Density,
) -> list[Spot]:
    cancel.check()
    allowed = cv2.erode(plain.astype(np.uint8), disc(BORDER_MM / mm_per_px)).astype(np.float32)
    if not allowed.any():
        return []
    pale = find_pale(pale_in, allowed, mm_per_px, cancel)
    for place in pale:  # beside it the skin would count as red
        reach_px = round(place.radius_px + BORDER_MM / mm_per_px)
        cv2.circle(allowed, (int(place.x), int(place.y)), reach_px, 0.0, -1)
    channels = _channels(density, pale_in.yellowness, allowed, mm_per_px, beard)
    responses = _responses(channels, allowed, mm_per_px, cancel)
    red_z = responses[[channel.kind for channel in channels].index(Kind.RED)].z
    spots = []
    for channel, response in zip(channels, responses, strict=True):
        # Each kind by itself: where two compete, the clearer may fail when looked at.
        for spot in _in_channel(channel, response, allowed, mm_per_px, cancel, scrutiny):
            if spot.kind is not Kind.BRIGHT:
                spots.append(spot)
            elif -_rise(spot, density.darkness) > HEAD_BRIGHTER:
                of_pimple = _reddened(red_z, spot, mm_per_px)
                spots.append(spot if of_pimple else replace(spot, kind=Kind.MILK_SPOT))
    clearest = without_doubles(sorted(spots, key=lambda spot: -spot.z), mm_per_px)
    told = [_told_apart(spot, density) for spot in clearest]
    return without_doubles([*pale, *told], mm_per_px)


@dataclass(frozen=True)
class _Channel:
    """A plane in which one kind of mark rises."""

    kind: Kind
    plane: Plane
    sigmas_mm: tuple[float, ...] = SIGMAS_MM
    where: NDArray[np.bool_] | None = None  # else everywhere


def _channels(
    density: Density, yellowness: Plane, allowed: Plane, mm_per_px: float, beard: Plane | None
) -> list[_Channel]:
    # Hairs are pigment, too, and thinner than any spot.
    in_red = without_thin_lines(density.in_red, mm_per_px)
    bearded, bare = (None, None) if beard is None else (beard > BEARDED, beard < BARE)
    found = [
        _Channel(Kind.DARK, in_red, where=None if bearded is None else ~bearded),
        _Channel(Kind.BRIGHT, yellowness, HEADS_MM, bare),
        _Channel(Kind.RED, density.redness),
    ]
    if float((in_red[allowed > 0] < CLIPPED_DENSITY).mean()) > MOST_CLIPPED:
        found.append(_Channel(Kind.DARK, density.darkness))  # by the channels that are not
    elif bearded is not None:  # what is left of strands is the clearest in red
        found.append(_Channel(Kind.DARK, density.darkness, where=bearded))
    return found


def _in_channel(
    channel: _Channel, response: _Response, allowed: Plane, mm_per_px: float,
    cancel: CancelToken, scrutiny: Scrutiny,
) -> list[Spot]:
    """The peaks of a channel that hold when looked at by themselves."""
    cancel.check()
    z, sigmas_px, kind = response.z, response.sigma_px, channel.kind
    least_z = _least_z(kind, sigmas_px * np.float32(mm_per_px))
    cancel.check()
    peaks = (z == cv2.dilate(z, disc(APART_MM / mm_per_px))) & (z > least_z)
    if channel.where is not None:
        peaks &= channel.where
    low, high = AREA_MM2[kind]
    found = []
    for y, x in np.argwhere(peaks):
        cancel.check()
        for wider in scrutiny.wider_if_red if kind is Kind.RED else (1.0,):
            sigma_px = wider * float(sigmas_px[y, x])
            spot = _examined(channel.plane, allowed, int(x), int(y), sigma_px, kind,
                             float(z[y, x]), scrutiny)  # fmt: skip
            if spot is not None and low < spot.area_px * mm_per_px**2 < high:
                found.append(spot)
                break
    return found


def _least_z(kind: Kind, sigma_mm: Plane) -> Plane:
    """The bar for a peak at that scale: as many false ones are to be expected at every scale.

    Coarse scales have fewer places where noise could make a peak, as 1 / sigma squared.
    """
    larger = np.maximum(sigma_mm / np.float32(SIGMAS_MM[0]), 1)
    bar: Plane = np.sqrt(LEAST_Z[kind] ** 2 - 4 * np.log(larger)).astype(np.float32)
    return bar


@dataclass(frozen=True)
class _Response:
    z: Plane
    sigma_px: Plane


def _responses(
    channels: Sequence[_Channel], allowed: Plane, mm_per_px: float, cancel: CancelToken
) -> list[_Response]:
    """For each channel the best scale's rise above the ring, in deviations of the skin near by.

    Scale by scale for all of them, so that only one scale's weights are held.
    """
    found = [_Response(np.full_like(c.plane, -np.inf), np.zeros_like(c.plane)) for c in channels]
    masked = [channel.plane * allowed for channel in channels]
    on_skin = allowed > 0
    cancel.check()
    wide = _Mean(allowed, UNEVENNESS_MM / mm_per_px)
    for sigma_mm in SIGMAS_MM:
        cancel.check()
        centre = _Mean(allowed, sigma_mm / mm_per_px)
        around = _Mean(allowed, RING * sigma_mm / mm_per_px)
        counts = on_skin & (around.weight > RING_IF_CLEAR)
        for channel, plane, response in zip(channels, masked, found, strict=True):
            cancel.check()
            if sigma_mm not in channel.sigmas_mm:
                continue
            z = centre.of(plane)
            z -= around.of(plane)
            z *= counts
            usual = 1.4826 * float(np.median(np.abs(z[on_skin]))) + 1e-6
            z /= np.float32(usual)
            cancel.check()
            # Marks must not raise the bar for themselves: what sticks out counts as three.
            square = np.minimum(np.square(z), np.float32(9)) * allowed
            z /= np.sqrt(np.maximum(wide.of(square), np.float32(0.25)))
            cancel.check()
            better = z > response.z
            np.copyto(response.z, z, where=better)
            np.copyto(response.sigma_px, np.float32(sigma_mm / mm_per_px), where=better)
    return found


class _Mean:
    """The blur of one width of what lies on plain skin."""

    def __init__(self, allowed: Plane, sigma_px: float) -> None:
        self._sigma_px = sigma_px
        self.weight = np.maximum(blurred(allowed, sigma_px), np.float32(1e-3))

    def of(self, masked: Plane) -> Plane:
        mean: Plane = blurred(masked, self._sigma_px)
        mean /= self.weight
        return mean


def _examined(
    plane: Plane, allowed: Plane, x: int, y: int, sigma_px: float, kind: Kind, z: float,
    scrutiny: Scrutiny,
) -> Spot | None:
    """The candidate at a peak, if it holds when looked at by itself."""
    reach = math.ceil(4 * sigma_px) + 2
    rect = Rect(x - reach, y - reach, x + reach + 1, y + reach + 1).intersect(
        Rect(0, 0, plane.shape[1], plane.shape[0])
    )
    part = blurred(np.ascontiguousarray(plane[rect.slices]), max(0.6, 0.6 * sigma_px))
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    away = np.hypot(xs - x, ys - y)
    whole_ring = (away > 2.2 * sigma_px) & (away < 3.6 * sigma_px)
    ring = whole_ring & (allowed[rect.slices] > 0)
    is_clear = z > CLEAR_Z
    least_ring = scrutiny.ring_if_clear if is_clear else LEAST_RING
    if ring.sum() < max(6, least_ring * whole_ring.sum()):
        return None
    # The skin's own shading across the place: a plane through the ring.
    terms = np.stack([np.ones(ring.sum()), xs[ring] - x, ys[ring] - y], 1)
    (level, along_x, along_y), *_ = np.linalg.lstsq(terms, part[ring], rcond=None)
    rise = part - (level + along_x * (xs - x) + along_y * (ys - y))
    core = away <= max(1.5, sigma_px)
    contrast = float(rise[core].max())
    slope = 2 * sigma_px * math.hypot(along_x, along_y)
    clearness = contrast / (float(rise[ring].std()) + 1e-6)
    if contrast < LEAST_CONTRAST or slope > MOST_SLOPE * contrast or clearness < LEAST_CLEARNESS:
        return None
    half = (rise > 0.5 * contrast) & (away < 3.6 * sigma_px)
    _, labels = cv2.connectedComponents(half.astype(np.uint8), connectivity=4)
    top = labels.flat[int(np.argmax(np.where(core, rise, -np.inf)))]
    mark = labels == top
    longest = scrutiny.elongation_if_red if is_clear and kind is Kind.RED else MOST_ELONGATION
    if (away[mark] > 3.2 * sigma_px).any() or elongation(xs[mark], ys[mark]) > longest:
        return None
    weight = np.maximum(rise[mark], 0)
    centre_x = float((xs[mark] * weight).sum() / weight.sum())
    centre_y = float((ys[mark] * weight).sum() / weight.sum())
    return Spot(centre_x + 0.5, centre_y + 0.5, kind, z, contrast, float(mark.sum()), sigma_px,
                clearness)


def _told_apart(spot: Spot, density: Density) -> Spot:
    """Red or dark by what absorbs more; which stands out clearer depends on the skin around.

    Its contrast is that of all light, in whichever channel it was found.
    """
    if spot.kind not in (Kind.DARK, Kind.RED):
        return spot
    darker, redder = (_rise(spot, plane) for plane in (density.darkness, density.redness))
    kind = Kind.RED if redder > RED_SHARE * darker else Kind.DARK
    return replace(spot, kind=kind, contrast=max(darker, redder))


def _rise(spot: Spot, plane: Plane) -> float:
    """How much a spot rises above the skin around, in density."""
    rect = Rect.around(spot.x, spot.y, 4 * spot.sigma_px).intersect(
        Rect(0, 0, plane.shape[1], plane.shape[0])
    )
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    away = np.hypot(xs + 0.5 - spot.x, ys + 0.5 - spot.y)
    core, ring = away <= max(1.0, spot.sigma_px), away > 2.2 * spot.sigma_px
    part = plane[rect.slices]
    return float(part[core].mean() - np.median(part[ring]))


def _reddened(red_z: Plane, spot: Spot, mm_per_px: float) -> bool:
    """True if the place around a bright spot is red: it is a head on a pimple."""
    rect = Rect.around(spot.x, spot.y, REDDENED_MM / mm_per_px).intersect(
        Rect(0, 0, red_z.shape[1], red_z.shape[0])
    )
    return float(red_z[rect.slices].max()) > LEAST_REDDENED_Z
