"""Made-up skin whose blotches, shine and shade are known, for tests of Even."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from lather.core.colour.lab import to_encoded
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.core.tone.chromophores import BLOOD
from lather.core.tone.skin_picture import SkinPicture
from lather.document.findings import Findings
from lather.document.photo import Photo
from lather.document.planes import Regions, with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK

MM = 0.4  # a pixel
SIDE = 320
PALE, BROWN = (0.55, 0.32, 0.23), (0.26, 0.13, 0.085)  # linear light


def field(sigma_mm: float, seed: int, side: int = SIDE) -> np.ndarray:
    """A random field of that size of patches, spread 1."""
    noise = np.random.default_rng(seed).standard_normal((side, side)).astype(np.float32)
    smooth = cv2.GaussianBlur(noise, (0, 0), sigma_mm / MM, borderType=cv2.BORDER_REFLECT)
    return (smooth - smooth.mean()) / smooth.std()


def skin_rgb(
    blood: np.ndarray | float = 0.0, mirrored: np.ndarray | float = 0.0, *,
    colour: tuple[float, float, float] = PALE, seed: int = 1, side: int = SIDE,
) -> np.ndarray:
    """(side, side, 3) encoded: pores on a broad shade, densities of blood, and mirrored light."""
    shade = 0.18 * field(30.0, seed, side) + 0.03 * field(0.25, seed + 1, side)
    density = np.broadcast_to(np.asarray(blood, np.float32), (side, side))[..., None] * BLOOD
    own = np.array(colour, np.float32) * np.exp(shade[..., None] - density)
    light = own + np.broadcast_to(np.asarray(mirrored, np.float32), (side, side))[..., None]
    return to_encoded(np.clip(light, 0, 1)).astype(np.float32)


def highlight(x: float, y: float, radius_mm: float, most: float, side: int = SIDE) -> np.ndarray:
    """Mirrored light around a place (px), broken up by pores into glints."""
    ys, xs = np.mgrid[:side, :side] + 0.5
    near = np.exp(-((np.hypot(xs - x, ys - y) * MM / radius_mm) ** 2)).astype(np.float32)
    return most * near * np.exp(0.5 * field(0.25, 9, side) - 0.12)


def picture_of(rgb: np.ndarray, people: np.ndarray | None = None) -> SkinPicture:
    """All of it plain skin."""
    shape = rgb.shape[:2]
    nobody = np.zeros(shape, np.int8)
    return SkinPicture(
        rgb, np.ones(shape, np.float32), np.zeros(shape, np.float32),
        nobody if people is None else people, MM,
    )  # fmt: skip


def skin_state(rgb: np.ndarray, skin: np.ndarray | None = None) -> JobState:
    """A surveyed job of which all is skin, or what a mask says."""
    photo = Photo((np.clip(rgb, 0, 1) * 65535 + 0.5).astype(np.uint16), name="skin.png")
    plane = np.ones(rgb.shape[:2], np.float32) if skin is None else skin
    masks = {Region.SKIN: with_plane(BLACK_MASK, Rect(0, 0, *plane.shape[::-1]), plane)}
    state = new_state(photo)
    return replace(state, regions=Regions(1.0, masks), findings=Findings(MM))
