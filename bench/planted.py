"""Overdoing planted into pictures, of which it is known that it is there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from bench.changed import Image, Planes
from bench.common import pixels_of
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.state import JobState
from lather.document.tiles import TILE_PX

PATCH_MM, N_COPIES = 3.5, 5
BEND_PX = 9.0  # of a picture 1600 px high
N_LINES = 9
MOST = np.float32(65535)
SMOOTH_SIDE_MM, LEFT_OF_TEXTURE = 20.0, np.float32(0.2)
Make = Callable[[Image, Planes, float], tuple[Image, Image | None]]


@dataclass(frozen=True)
class Plant:
    """What is done, and by which measures of the check it has to be found."""

    name: str
    found_by: tuple[str, ...]
    make: Make


def _blurred(sigma_mm: float) -> Make:
    def make(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:
        return cv2.GaussianBlur(rgb, (0, 0), sigma_mm / mm), _soft(truth[Region.SKIN])

    return make


def _chalk(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:  # noqa: ARG001
    return np.full_like(rgb, 0.96), _soft(truth[Region.TEETH])


def _staring(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:  # noqa: ARG001
    return np.full_like(rgb, 0.93), _soft(truth[Region.EYE_WHITE])


def _contrast(rgb: Image, truth: Planes, mm: float) -> tuple[Image, None]:  # noqa: ARG001
    return np.clip(0.5 + 2 * (rgb - np.float32(0.5)), 0, 1), None


def _gritty(rgb: Image, truth: Planes, mm: float) -> tuple[Image, None]:  # noqa: ARG001
    smooth = cv2.GaussianBlur(rgb, (0, 0), 1.5 / mm)
    return np.clip(rgb + np.float32(1.8) * (rgb - smooth), 0, 1), None


def _spilt(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:
    side = round(6 / mm) | 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    warm = np.clip(rgb * np.array((1.12, 1.0, 0.9), dtype=np.float32), 0, 1)
    return warm, _soft(cv2.dilate(truth[Region.SKIN], disc), 2)


def _patches(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:
    """One round patch of skin laid down five times around its own place."""
    r = round(PATCH_MM / mm)
    inner = cv2.erode((truth[Region.SKIN] > 0.95).astype(np.uint8), np.ones((5 * r, 5 * r)))
    ys, xs = np.nonzero(inner)
    y, x = int(ys[len(ys) // 2]), int(xs[len(xs) // 2])
    grid = np.mgrid[-r : r + 1, -r : r + 1]
    bell = np.clip((1 - np.hypot(*grid) / r) * 5, 0, 1).astype(np.float32)
    out, cover = rgb.copy(), np.zeros(rgb.shape[:2], dtype=np.float32)
    source = rgb[y - r : y + r + 1, x - r : x + r + 1]
    for dy, dx in ((0, 2), (2, 0), (0, -2), (-2, 0), (2, 2))[:N_COPIES]:
        top, left = y + round(1.1 * dy * r) - r, x + round(1.1 * dx * r) - r
        here = np.s_[top : top + 2 * r + 1, left : left + 2 * r + 1]
        out[here] = source
        cover[here] = np.maximum(cover[here], bell)
    return out, cover


def _smooth_patch(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:
    """4 cm2 of skin with a fifth of its texture."""
    half = SMOOTH_SIDE_MM / 2 / mm
    inner = cv2.erode((truth[Region.SKIN] > 0.95).astype(np.uint8),
                      np.ones((round(2.4 * half),) * 2))  # fmt: skip
    ys, xs = np.nonzero(inner)
    y, x = int(ys[len(ys) // 3]), int(xs[len(xs) // 3])
    grid = np.abs(np.mgrid[: rgb.shape[0], : rgb.shape[1]] - np.array((y, x))[:, None, None])
    cover = np.clip((half - grid.max(0)) * mm, 0, 1).astype(np.float32)
    smooth = cv2.GaussianBlur(rgb, (0, 0), 0.5 / mm)
    return smooth + LEFT_OF_TEXTURE * (rgb - smooth), cover


def _smooth_under_eye(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:
    """The skin below one eye smoothed."""
    ys, xs = np.nonzero(truth[Region.EYE_WHITE] > 0.5)
    one = xs > np.median(xs)
    x, y = float(xs[one].mean()), float(ys[one].mean())
    grid = np.mgrid[: rgb.shape[0], : rgb.shape[1]].astype(np.float32)
    away = np.hypot((grid[1] - x) / 15, (grid[0] - y - 12 / mm) / 7) * mm
    cover = np.clip(3 * (1 - away), 0, 1) * truth[Region.SKIN]
    return cv2.GaussianBlur(rgb, (0, 0), 0.8 / mm), _soft(cover)


def _tinted(region: Region, *gains: float, one_side: bool = False) -> Make:
    def make(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:  # noqa: ARG001
        cover = truth[region].copy()
        if one_side:
            cover[:, : int(np.median(np.nonzero(cover > 0.5)[1]))] = 0
        return np.clip(rgb * np.array(gains, np.float32) + np.float32(0.03), 0, 1), _soft(cover)

    return make


def _smeared_hair(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:
    return cv2.GaussianBlur(rgb, (0, 0), 2 / mm), _soft(truth[Region.HAIR])


def _flat_clothes(rgb: Image, truth: Planes, mm: float) -> tuple[Image, Image]:  # noqa: ARG001
    share = truth[Region.CLOTHING]
    middle = (rgb * share[..., None]).sum((0, 1)) / max(float(share.sum()), 1.0)
    return np.broadcast_to(middle, rgb.shape).astype(np.float32), _soft(share)


def with_lines(rgb: Image, truth: Planes) -> Image:
    """The picture with dark lines on the wall behind the person."""
    out, width = rgb.copy(), rgb.shape[1]
    for n in range(1, N_LINES + 1):
        x = round(n * width / (N_LINES + 1))
        out[:, x : x + max(2, width // 500)] *= np.float32(0.55)
    share = truth[Region.BACKGROUND][..., None]
    return np.asarray(rgb + share * (out - rgb), dtype=np.float32)


def _bent(rgb: Image, truth: Planes, mm: float) -> tuple[Image, None]:  # noqa: ARG001
    """Everything at mid height pushed to the side, the wall with it."""
    height, width = rgb.shape[:2]
    y, x = np.mgrid[:height, :width].astype(np.float32)
    push = BEND_PX * height / 1600
    bell = np.exp(-(((y - 0.45 * height) / (0.08 * height)) ** 2)).astype(np.float32)
    return cv2.remap(rgb, x + np.float32(push) * bell, y, cv2.INTER_CUBIC), None


PLANTS = (
    Plant("a blur of 0.3 mm", ("texture_kept",), _blurred(0.3)),
    Plant("a blur of 0.6 mm", ("texture_kept",), _blurred(0.6)),
    Plant("chalk teeth", ("teeth_lighter", "teeth_colour"), _chalk),
    Plant("staring eyes", ("eye_whites_lighter", "eye_whites_colour"), _staring),
    Plant("doubled contrast", ("modelling_kept", "clipped", "sharpness"), _contrast),
    Plant("gritty sharpening", ("sharpness",), _gritty),
    Plant("colour spilt over edges", ("edges",), _spilt),
    Plant("repeated patches", ("repeats",), _patches),
    Plant("bent lines", ("straight_lines",), _bent),
    Plant("a patch of 4 cm2 at 20 % texture", ("texture_least",), _smooth_patch),
    Plant("an under-eye smoothed", ("texture_least", "texture_kept"), _smooth_under_eye),
    Plant("purple lips", ("other_colour",), _tinted(Region.LIPS, 0.75, 0.45, 1.1)),
    Plant("a recoloured iris", ("other_colour",),
          _tinted(Region.IRIS, 0.5, 0.9, 2.2, one_side=True)),
    Plant("hair blurred by 2 mm", ("other_detail",), _smeared_hair),
    Plant("flattened clothes", ("other_detail",), _flat_clothes),
)


def painted(state: JobState, rgb: Image, cover: Image | None = None) -> JobState:
    """The state with a picture laid over it, where a cover says so."""
    state = edits.add_pixel_layer(state, "Planted")
    height, width = rgb.shape[:2]
    whole, tiles = Rect(0, 0, width, height), {}
    alpha = np.ones((height, width), dtype=np.float32) if cover is None else cover
    for key in whole.cells(TILE_PX):
        part = Rect.cell(key, TILE_PX).intersect(whole)
        if not alpha[part.slices].any():
            continue
        tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
        inside = tile[: part.height, : part.width]
        inside[..., :3] = np.clip(rgb[part.slices], 0, 1) * MOST + np.float32(0.5)
        inside[..., 3] = np.clip(alpha[part.slices], 0, 1) * MOST + np.float32(0.5)
        tiles[key] = tile
    layer = pixels_of(state.active)
    return edits.set_pixels(state, layer.id, layer.tiles.with_tiles(tiles))


def _soft(mask: Image, sigma_px: float = 1.5) -> Image:
    return np.asarray(cv2.GaussianBlur(mask, (0, 0), sigma_px))
