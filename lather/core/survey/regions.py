"""The parts of a portrait as soft masks: from the face's geometry and the picture's evidence.

Geometry says where a part may be, this person's own colours say what belongs to it, and a
guided filter puts its rim on the picture's edges. Each pixel is shared out among the parts.
"""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import disc
from lather.core.colour.density import Density, optical_density
from lather.core.colour.lab import srgb_to_lab
from lather.core.guided import Guide
from lather.core.rect import Rect
from lather.core.survey.face import FaceGeometry
from lather.core.survey.region import Region
from lather.core.survey.skin import SkinMap, colour_distance, face_axes
from lather.core.work import NEVER, CancelToken

Mask = NDArray[np.bool_]

# Lengths in pupil distances.
IRIS_RADII = (0.07, 0.14)  # between which it is looked for
EYE_OPENING = (0.36, 0.16)  # half axes
BROW_BAND = (-0.62, -0.12)  # above the pupils: from, to
LASHES = (0.36, 0.24)  # half axes
MOUTH_REACH = 0.06  # how far inside of the lips' hull the teeth may lie
HEAD = (0.95, 0.45, 1.25)  # half width, middle, half height of what is surely the head
SHOULDERS = 1.75  # below it what is neither skin nor background is clothing
BORDER_SHARE = 0.02  # of the short side: what is looked at to know the background
BACKGROUND_DISTANCE = 4.0
PALE, WHITE_LIGHT = 0.7, 0.55  # an eye white's chroma at most, its lightness at least, of skin's
TOOTH_ABOVE_DARK = 0.35  # share of the mouth's range of lightness
STRIPS = 8  # in which the picture is converted; a cancel is seen between them
REFINED_RADIUS_PX, EVENNESS = 4, 6.0  # of the guided filter, CIE Lab
BROW_WIDTH_MM, BROW_DARKNESS = 9.0, 0.35  # what is wider is shade; density above the skin's


def find_regions(
    rgb: FloatImage, skin_map: SkinMap, face: FaceGeometry | None, mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> dict[Region, Plane]:
    """Soft masks 0-1 of all regions, (H, W) each.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    skin_map : of the same picture.
    face : in pixels of `rgb`; without one only skin, background and the rest are told apart.
    """
    lab = np.empty_like(rgb)
    for rows in np.array_split(np.arange(len(rgb)), STRIPS):
        cancel.check()
        lab[rows] = srgb_to_lab(np.ascontiguousarray(rgb[rows]))
    smooth = cv2.GaussianBlur(lab, (0, 0), 1.0)
    cancel.check()
    hard = _outer_regions(smooth, skin_map, face)
    cancel.check()
    if face is not None:
        inner = _inner_regions(smooth, optical_density(rgb), skin_map, face, mm_per_px)
        taken = np.logical_or.reduce(list(inner.values()))
        hard = {region: mask & ~taken for region, mask in hard.items()} | inner
    cancel.check()
    guide = Guide(lab, REFINED_RADIUS_PX, EVENNESS)
    soft = {}
    for region, mask in hard.items():
        cancel.check()
        soft[region] = guide.refine(mask.astype(np.float32))
    total = np.maximum(np.add.reduce(list(soft.values())), np.float32(1))
    return {region: soft[region] / total for region in Region if region in soft}


def merged(
    parts: Mapping[Region, Plane] | None, more: Mapping[Region, Plane]
) -> dict[Region, Plane]:
    """The regions of two people in one picture: all of both, and background only in neither."""
    if parts is None:
        return dict(more)
    together = {region: np.maximum(parts[region], more[region]) for region in more}
    behind = np.minimum(parts[Region.BACKGROUND], more[Region.BACKGROUND])
    return {**together, Region.BACKGROUND: behind}


def _outer_regions(
    lab: FloatImage, skin_map: SkinMap, face: FaceGeometry | None
) -> dict[Region, Mask]:
    """Skin, background, hair and clothing: they share the picture."""
    skin = skin_map.skin
    behind = _background(lab, skin)
    below = np.zeros_like(skin)
    if face is not None:
        across, down = face_axes(skin.shape, face, face.at(0, 0))
        below = down > SHOULDERS
        # A rim light on the head may be as grey as the background: what lies there is the head's.
        head = (across / HEAD[0]) ** 2 + ((down - HEAD[1]) / HEAD[2]) ** 2 < 1
        behind &= ~head
        skin = skin | _shine(lab, skin, head & ~behind)
    rest = ~skin & ~behind
    return {
        Region.SKIN: skin,
        Region.BACKGROUND: behind,
        Region.HAIR: rest & ~below,
        Region.CLOTHING: rest & below,
    }


def _shine(lab: FloatImage, skin: Mask, head: Mask) -> Mask:
    """Skin so shiny that it lost its colour."""
    if not skin.any():
        return np.zeros_like(skin)
    light = lab[..., 0]
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    found: Mask = head & ~skin & (light > np.median(light[skin]))
    return found & (chroma < 0.7 * float(np.median(chroma[skin])))


def _background(lab: FloatImage, skin: Mask) -> Mask:
    """What is coloured like the picture's sides and top, and hangs together with them."""
    height, width = skin.shape
    edge = max(2, round(BORDER_SHARE * min(height, width)))
    border = np.zeros_like(skin)
    border[:edge] = True
    border[: round(0.8 * height), :edge] = border[: round(0.8 * height), -edge:] = True
    samples = lab[border & ~skin]
    if len(samples) < 50:
        return np.zeros_like(skin)
    alike = colour_distance(lab, samples) < BACKGROUND_DISTANCE
    alike &= ~skin
    opened = cv2.morphologyEx(alike.astype(np.uint8), cv2.MORPH_OPEN, disc(1))
    n_parts, labels = cv2.connectedComponents(opened)
    touching = np.zeros(n_parts, dtype=bool)
    touching[labels[border]] = True
    touching[0] = False
    found: Mask = touching[labels]
    result: Mask = cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_CLOSE, disc(2)) > 0
    return result & ~skin


def _inner_regions(
    lab: FloatImage, density: Density, skin_map: SkinMap, face: FaceGeometry, mm_per_px: float
) -> dict[Region, Mask]:
    """Eyes, brows, lips and teeth; what they take is no longer skin or hair."""
    white, iris = _eyes(lab, skin_map, face)
    mouth = _hull(skin_map.lips)
    teeth = _teeth(lab, skin_map.lips, mouth, face)
    brows = _brows(density.darkness, skin_map, face, mm_per_px) & ~white & ~iris
    return {
        Region.LIPS: skin_map.lips & ~teeth & _lip_coloured(lab, skin_map.lips),
        Region.EYE_WHITE: white,
        Region.IRIS: iris,
        Region.BROWS: brows,
        Region.TEETH: teeth,
    }


def _eyes(lab: FloatImage, skin_map: SkinMap, face: FaceGeometry) -> tuple[Mask, Mask]:
    """Whites and irises: inside the opening, not coloured like skin."""
    shape = skin_map.skin.shape
    white, iris = np.zeros(shape, dtype=bool), np.zeros(shape, dtype=bool)
    if not skin_map.plain.any():
        return white, iris
    for name in ("pupil_right", "pupil_left"):
        x, y = face.handles[name]
        part = Rect.around(x, y, 0.6 * face.pupil_distance_px).intersect(
            Rect(0, 0, shape[1], shape[0])
        )
        around = skin_map.plain[part.slices]
        if part.empty or not around.any():
            continue
        local = face.shifted(-part.x0, -part.y0)
        white_here, iris_here = _eye(lab[part.slices], around, local, local.handles[name])
        white[part.slices] |= white_here
        iris[part.slices] |= iris_here
    return white & ~iris, iris


def _eye(
    lab: FloatImage, plain: Mask, face: FaceGeometry, pupil: tuple[float, float]
) -> tuple[Mask, Mask]:
    """White and iris of one eye."""
    across, down = face_axes(plain.shape, face, pupil)
    opening = (across / EYE_OPENING[0]) ** 2 + (down / EYE_OPENING[1]) ** 2 < 1
    light, chroma = lab[..., 0], np.hypot(lab[..., 1], lab[..., 2])
    skin_chroma, skin_light = float(np.median(chroma[plain])), float(np.median(light[plain]))
    radius_px = _iris_radius_px(light, pupil, face.pupil_distance_px)
    inside = np.hypot(across, down) * face.pupil_distance_px < radius_px
    pale = opening & (chroma < PALE * skin_chroma) & ~inside & (light > WHITE_LIGHT * skin_light)
    white = _without_crumbs(pale, max(1, round(0.015 * opening.sum())))
    # The lids cover the iris above and below: what is coloured like skin, or lashes, is no iris.
    lid = (chroma > 0.8 * skin_chroma) & (light > 0.6 * skin_light) & inside
    lid = cv2.morphologyEx(lid.astype(np.uint8), cv2.MORPH_OPEN, disc(1)) > 0
    return white, inside & ~lid


def _iris_radius_px(
    light: Plane, pupil: tuple[float, float], pupil_distance_px: float
) -> float:
    """Where the light rises most from one circle to the next, to the left and right.

    Above and below lie the lids. Source: Daugman 1993, the integro-differential operator.
    """
    low, high = (share * pupil_distance_px for share in IRIS_RADII)
    radii = np.arange(low, high, 0.5)
    turns = np.radians([*range(-35, 36, 5), *range(145, 216, 5)])
    map_x = (pupil[0] - 0.5 + np.outer(radii, np.cos(turns))).astype(np.float32)
    map_y = (pupil[1] - 0.5 + np.outer(radii, np.sin(turns))).astype(np.float32)
    rings = cv2.remap(light, map_x, map_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    rise = np.gradient(cv2.GaussianBlur(np.median(rings, 1)[:, None], (1, 5), 0)[:, 0])
    return float(radii[int(np.argmax(rise))])


def _brows(
    darkness: Plane, skin_map: SkinMap, face: FaceGeometry, mm_per_px: float
) -> Mask:
    """Dark hairs in the bands above the eyes, and the lashes around them.

    Brows are darker than what lies within a few millimetres; the shade of the eye socket is wider.
    """
    shape = skin_map.skin.shape
    place = np.zeros(shape, dtype=bool)
    for name in ("pupil_right", "pupil_left"):
        across, down = face_axes(shape, face, face.handles[name])
        band = (np.abs(across) < 0.55) & (down > BROW_BAND[0]) & (down < BROW_BAND[1])
        place |= band | ((across / LASHES[0]) ** 2 + (down / LASHES[1]) ** 2 < 1)
    ys, xs = np.nonzero(place)
    found = np.zeros(shape, dtype=bool)
    if len(ys) == 0:
        return found
    box = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    part = darkness[box]
    base = cv2.morphologyEx(part, cv2.MORPH_OPEN, disc(BROW_WIDTH_MM / 2 / mm_per_px))
    found[box] = (part - base > BROW_DARKNESS) & place[box]
    return found


def _teeth(lab: FloatImage, lips: Mask, mouth: Mask, face: FaceGeometry) -> Mask:
    """Bright and little coloured places between the lips."""
    nothing = np.zeros_like(lips)
    inside = mouth & cv2.erode(mouth.astype(np.uint8), disc(
        MOUTH_REACH * face.pupil_distance_px)).astype(bool)  # fmt: skip
    if not inside.any() or not lips.any():
        return nothing
    lip_a = float(np.median(lab[lips][:, 1]))
    low, high = np.percentile(lab[inside][:, 0], (2, 98))
    pale = inside & (lab[..., 1] < 0.55 * lip_a)
    pale &= lab[..., 0] > low + TOOTH_ABOVE_DARK * (high - low)
    opened = cv2.morphologyEx(pale.astype(np.uint8), cv2.MORPH_OPEN, disc(1)) > 0
    least_px = (0.05 * face.pupil_distance_px) ** 2
    return _without_crumbs(opened, round(least_px)) if opened.sum() > least_px else nothing


def _lip_coloured(lab: FloatImage, lips: Mask) -> Mask:
    """Lips without what shows between them."""
    if not lips.any():
        return lips
    a = lab[..., 1]
    middle = float(np.median(a[lips]))
    dark = float(np.median(lab[..., 0][lips]))
    coloured: Mask = (a > 0.6 * middle) & (lab[..., 0] > 0.45 * dark)
    return np.asarray(cv2.morphologyEx(coloured.astype(np.uint8), cv2.MORPH_CLOSE, disc(2)) > 0)


def _hull(mask: Mask) -> Mask:
    """The convex hull of a mask."""
    points = cv2.findNonZero(mask.astype(np.uint8))
    out = np.zeros(mask.shape, dtype=np.uint8)
    if points is not None:
        cv2.fillConvexPoly(out, cv2.convexHull(points), 1)
    return out > 0


def _without_crumbs(mask: Mask, least_px: int) -> Mask:
    """The mask without parts smaller than that."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    kept = stats[:, cv2.CC_STAT_AREA] >= least_px
    kept[0] = False
    found: Mask = kept[labels]
    return found
