"""Cloth, a watch, a ring and beads drawn onto a portrait where its skin is: what is no skin."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.changed import Image

Draw = Callable[[Image, Image, tuple[float, float], float], tuple[Image, Image]]
WHITE, BLACK = (0.93, 0.92, 0.9), (0.06, 0.06, 0.07)
WEAVE_MM, FOLD_MM = 0.5, 14.0


def collar(
    rgb: Image, skin: Image, chin: tuple[float, float], mm_per_px: float,
    colour: tuple[float, float, float] | None,
) -> tuple[Image, Image]:
    """A band of cloth across neck and chest, with folds, weave and its own shine.

    Parameters
    ----------
    skin : (h, w) 0-1, on which it lies.
    colour : encoded RGB; None for this skin's own.

    Returns
    -------
    rgb, covered : the picture, and where the cloth is, (h, w) 0-1.
    """
    height, width = rgb.shape[:2]
    xs, ys = _millimetres(rgb, chin, mm_per_px)
    top = 42 + 6 * np.cos(xs / 60)  # mm below the chin
    band = _soft((ys - top) / 1.0) * _soft((top + 42 - ys) / 1.0) * (skin > 0.3)
    band = cv2.GaussianBlur(band.astype(np.float32), (0, 0), 0.7)
    own = np.median(rgb[skin > 0.9], 0) if colour is None else np.array(colour)
    light = _folds(height, width, mm_per_px) + 0.05 * _weave(height, width, mm_per_px)
    return _laid(rgb, band, np.clip(own * light[..., None], 0, 1))


def watch(
    rgb: Image, skin: Image, chin: tuple[float, float], mm_per_px: float
) -> tuple[Image, Image]:
    """A leather strap and a steel case that mirrors the lamp, on the chest."""
    xs, ys = _millimetres(rgb, chin, mm_per_px)
    across, along = xs + 30, ys - 60
    strap = _soft((9 - np.abs(along)) / 0.5) * _soft((40 - np.abs(across)) / 1.0) * (skin > 0.3)
    away = np.hypot(across, along)
    case = _soft((17 - away) / 0.5) * (skin > 0.3)
    steel = 0.55 + 0.4 * np.cos(6 * np.arctan2(along, across))
    steel = np.where(away < 13, 0.95 - 0.02 * np.abs(across), steel)
    height, width = rgb.shape[:2]
    grain = 1 + 0.06 * _weave(height, width, mm_per_px)
    leather = np.array([0.32, 0.18, 0.1]) * grain[..., None]
    out, covered = _laid(rgb, strap, leather)
    out, more = _laid(out, case, np.repeat(np.clip(steel, 0, 1)[..., None], 3, -1))
    return out, np.maximum(covered, more)


def beads(
    rgb: Image, skin: Image, chin: tuple[float, float], mm_per_px: float
) -> tuple[Image, Image]:
    """A row of pearls and a gold ring."""
    xs, ys = _millimetres(rgb, chin, mm_per_px)
    out, covered = rgb, np.zeros(rgb.shape[:2], dtype=np.float32)
    for n in range(-6, 7):
        x, y = 9.0 * n, 48 - 0.004 * (9 * n) ** 2
        out, covered = _ball(out, covered, xs - x, ys - y, 4.2, skin, (0.93, 0.9, 0.86))
    ring = np.abs(np.hypot(xs + 8, ys - 72) - 9)
    light = 0.6 + 0.6 * np.cos(3 * np.arctan2(ys - 72, xs + 8)) ** 2
    gold = np.array([0.85, 0.62, 0.25]) * light[..., None]
    out, more = _laid(out, _soft((1.6 - ring) / 0.3) * (skin > 0.3), np.clip(gold, 0, 1))
    return out, np.maximum(covered, more)


def _ball(
    rgb: Image, covered: Image, xs: NDArray[np.floating], ys: NDArray[np.floating],
    radius: float, skin: Image, colour: tuple[float, float, float],
) -> tuple[Image, Image]:
    away = np.hypot(xs, ys) / radius
    light = 0.55 + 0.45 * np.sqrt(np.clip(1 - away**2, 0, 1))
    light = light + np.exp(-((xs + 1) ** 2 + (ys + 1.4) ** 2) / 0.8)
    look = np.clip(np.array(colour) * light[..., None], 0, 1)
    out, more = _laid(rgb, _soft((1 - away) * radius / 0.3) * (skin > 0.3), look)
    return out, np.maximum(covered, more)


def _millimetres(
    rgb: Image, chin: tuple[float, float], mm_per_px: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Right and down from the chin."""
    ys, xs = np.mgrid[: rgb.shape[0], : rgb.shape[1]] + 0.5
    return (xs - chin[0]) * mm_per_px, (ys - chin[1]) * mm_per_px


def _soft(plane: NDArray[np.floating]) -> NDArray[np.floating]:
    step: NDArray[np.floating] = 1 / (1 + np.exp(-np.clip(4 * plane, -30, 30)))
    return step


def _folds(height: int, width: int, mm_per_px: float) -> NDArray[np.floating]:
    coarse = np.random.default_rng(8).standard_normal((height, width)).astype(np.float32)
    small = cv2.resize(coarse, (max(2, round(width * mm_per_px / FOLD_MM)),
                                max(2, round(height * mm_per_px / FOLD_MM))))  # fmt: skip
    return np.asarray(0.92 + 0.06 * cv2.resize(small, (width, height),
                                               interpolation=cv2.INTER_CUBIC))  # fmt: skip


def _weave(height: int, width: int, mm_per_px: float) -> NDArray[np.floating]:
    ys, xs = np.mgrid[:height, :width] * (2 * math.pi * mm_per_px / WEAVE_MM)
    threads: NDArray[np.floating] = np.sin(xs + 0.3 * ys) * np.sin(ys)
    return threads


def _laid(
    rgb: Image, mask: NDArray[np.floating], look: NDArray[np.floating]
) -> tuple[Image, Image]:
    share = mask.astype(np.float32)
    out = rgb + share[..., None] * (look - rgb)
    return np.asarray(out, dtype=np.float32), share


WORN: dict[str, Draw] = {
    "a white collar": partial(collar, colour=WHITE),
    "a black collar": partial(collar, colour=BLACK),
    "a collar of the skin's colour": partial(collar, colour=None), "a watch": watch,
    "beads and a ring": beads,
}  # fmt: skip
