"""Where the skin has this person's colours: cloth, a watch and jewellery on it have others.

Light that skin sends back is that of its pigment and blood, brighter or darker; shine adds the
lamp's, blood and pigment take more or less away (Shafer 1985, Tsumura et al. 2003). What differs
from the person's own middle by more of these than skin can, is something else.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.tone.chromophores import BLOOD, PIGMENT
from lather.core.tone.skin_picture import CLIPPED, SkinPicture, disc

# How far skin goes from the person's middle: densities of blood and pigment, less and more; the
# share of the lamp's own light where no channel is clipped.
BLOOD_SPAN, PIGMENT_SPAN, MOST_SHINE = (-0.45, 1.3), (-0.6, 0.8), 0.8
LEAST_THING_MM2, GLINT_MM = 25.0, 2.5  # of a thing; half of a glint on it
LEAST_COLOUR = 0.15  # of the middle, in logarithms: a picture without colours says nothing
SMOOTH_MM = 0.6
LIMB_MM2, LIMB_MM = 400.0, 5.0  # of skin without a face, to be a limb: area; half width
AROUND_CLIPPED_MM, BESIDE_CLIPPED_MM, LEAST_BESIDE = 1.0, 2.0, 0.5  # share that is own skin


def foreign(picture: SkinPicture, of_face: Plane) -> NDArray[np.bool_]:
    """(h, w) True where what counts as skin is none of a face or limb, by its colours and by what
    it hangs on: things on skin, and marks and glints of other colours.

    Parameters
    ----------
    of_face : (h, w) 0-1, skin of the faces.
    """
    found = np.zeros(picture.skin.shape, dtype=bool)
    clipped = (picture.rgb > CLIPPED).any(-1).astype(np.uint8)
    clipped = cv2.dilate(clipped, disc(picture.px(AROUND_CLIPPED_MM))) > 0
    for number in picture.everybody:
        picture.cancel.check()
        mine = picture.is_skin & (picture.people == number)
        face = (of_face > 0.5) & mine & ~clipped
        if not face.any():
            face = mine & picture.plain & ~clipped
        if face.any():
            picture.cancel.check()
            own = _hanging_together(mine & _coloured_as(picture, face), mine & clipped, face,
                                    picture)  # fmt: skip
            found |= mine & ~own
    return found


def things(found: NDArray[np.bool_], picture: SkinPicture) -> NDArray[np.bool_]:
    """(h, w) True where what is foreign is a thing: marks and glints are too small for that."""
    closed = cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_CLOSE, disc(picture.px(GLINT_MM)))
    return _large(closed > 0, LEAST_THING_MM2 / picture.mm_per_px**2)


def _large(mask: NDArray[np.bool_], least_px: float) -> NDArray[np.bool_]:
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    large = stats[:, cv2.CC_STAT_AREA] >= least_px
    large[0] = False
    kept: NDArray[np.bool_] = large[labels]
    return kept


def _coloured_as(picture: SkinPicture, face: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where colours are those of the skin of a face, in more or less light."""
    colours = _colours(picture)
    middle = np.median(colours[face], 0)
    if float(np.hypot(*middle)) < LEAST_COLOUR:
        return np.ones(face.shape, dtype=bool)
    away = colours - middle
    parts = np.stack([_colour_of(-BLOOD), _colour_of(-PIGMENT)])
    # Shine pulls towards no colour at all; what is left is told by blood and pigment.
    shine = np.clip(-(away @ middle) / float(middle @ middle), 0, None)
    left = away + np.minimum(shine, np.float32(MOST_SHINE))[..., None] * middle
    blood, pigment = np.moveaxis(left @ np.linalg.inv(parts).astype(np.float32), -1, 0)
    inside = (blood > BLOOD_SPAN[0]) & (blood < BLOOD_SPAN[1])
    # What is reddened looks as much less brown.
    inside &= (pigment > PIGMENT_SPAN[0] - np.maximum(blood, 0)) & (pigment < PIGMENT_SPAN[1])
    own: NDArray[np.bool_] = inside & (shine < MOST_SHINE)
    return own


def _colours(picture: SkinPicture) -> FloatImage:
    """(h, w, 2) logarithms of red over green and of green over blue, without grain."""
    smooth = cv2.GaussianBlur(picture.light, (0, 0), max(0.5, picture.px(SMOOTH_MM)))
    return np.stack([smooth[..., 0] - smooth[..., 1], smooth[..., 1] - smooth[..., 2]], -1)


def _colour_of(density: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.array([density[0] - density[1], density[1] - density[2]], dtype=np.float32)


def _hanging_together(
    own: NDArray[np.bool_], clipped: NDArray[np.bool_], face: NDArray[np.bool_],
    picture: SkinPicture,
) -> NDArray[np.bool_]:
    """Pieces of skin that touch the face, or are as large and broad as a limb; what is clipped in
    or beside them goes with them."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(own.astype(np.uint8), connectivity=4)
    kept = np.zeros(len(stats), dtype=bool)
    kept[np.unique(labels[face & own])] = True
    width = cv2.distanceTransform(own.astype(np.uint8), cv2.DIST_L2, 3)
    for label in range(1, len(stats)):
        if not kept[label] and picture.mm2(float(stats[label][cv2.CC_STAT_AREA])) > LIMB_MM2:
            kept[label] = float(width[labels == label].max()) > picture.px(LIMB_MM)
    kept[0] = False
    skin: NDArray[np.bool_] = kept[labels]
    return skin | _shining(skin, clipped, picture)


def _shining(
    skin: NDArray[np.bool_], clipped: NDArray[np.bool_], picture: SkinPicture
) -> NDArray[np.bool_]:
    """Clipped places that lie in skin, with what shines beside them: in a pearl they do not."""
    if not clipped.any():
        return clipped
    n_places, places = cv2.connectedComponents(clipped.astype(np.uint8), connectivity=4)
    away, nearest = cv2.distanceTransformWithLabels(
        (~clipped).astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_CCOMP
    )
    numbers = np.zeros(int(nearest.max()) + 1, dtype=np.intp)
    numbers[nearest[clipped]] = places[clipped]
    beside = (away > 0) & (away < picture.px(BESIDE_CLIPPED_MM))
    of = numbers[nearest[beside]]
    around = np.bincount(of, minlength=n_places)
    on_skin = np.bincount(of, weights=skin[beside], minlength=n_places)
    in_skin = on_skin > LEAST_BESIDE * np.maximum(around, 1)
    in_skin[0] = False
    found: NDArray[np.bool_] = in_skin[numbers[nearest]] & (away < picture.px(BESIDE_CLIPPED_MM))
    return found
