"""Cloth, a watch, glasses, a ring and beads drawn onto a portrait where its skin is: no skin."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.changed import Image

Point = tuple[float, float]
WHITE, BLACK = (0.93, 0.92, 0.9), (0.06, 0.06, 0.07)
WEAVE_MM, FOLD_MM = 0.5, 14.0


@dataclass(frozen=True)
class Wearer:
    """Where things go: places in pixels, and how large those are."""

    chin: Point
    eyes: tuple[Point, Point]
    mm_per_px: float

    @classmethod
    def of(cls, facts: Mapping[str, Any], size: float = 1.0) -> Wearer:
        """Of what is known of a demo portrait, seen in a share of its size."""

        def at(point: list[float]) -> Point:
            return point[0] * size, point[1] * size

        eyes = at(facts["eyes"]["right"]), at(facts["eyes"]["left"])
        return cls(at(facts["chin_tip"]), eyes, facts["mm_per_pixel"] / size)


# Of the picture, where its skin is (h, w) 0-1, and who wears it: the picture with it, and where it
# lies, (h, w) 0-1.
Draw = Callable[[Image, Image, Wearer], tuple[Image, Image]]


def collar(
    rgb: Image, skin: Image, who: Wearer, colour: tuple[float, float, float] | None
) -> tuple[Image, Image]:
    """A band of cloth across neck and chest; `colour` encoded, None for this skin's own."""
    xs, ys = _millimetres(rgb, who.chin, who.mm_per_px)
    top = 42 + 6 * np.cos(xs / 60)  # mm below the chin
    band = _soft((ys - top) / 1.0) * _soft((top + 42 - ys) / 1.0)
    return _cloth(rgb, skin, who, band, colour)


def cuff(
    rgb: Image, skin: Image, who: Wearer, colour: tuple[float, float, float] | None
) -> tuple[Image, Image]:
    """A narrow band round the arm where it leaves the shoulder."""
    xs, ys = _millimetres(rgb, who.chin, who.mm_per_px)
    from_middle = np.abs(xs - 0.2 * ys)
    band = _soft((from_middle - 62) / 1.0) * _soft((92 - from_middle) / 1.0) * (ys > 20)
    return _cloth(rgb, skin, who, band, colour)


def _cloth(
    rgb: Image, skin: Image, who: Wearer, band: NDArray[np.floating],
    colour: tuple[float, float, float] | None,
) -> tuple[Image, Image]:
    """With folds, weave and its own shine."""
    height, width = rgb.shape[:2]
    there = cv2.GaussianBlur((band * (skin > 0.3)).astype(np.float32), (0, 0), 0.7)
    own = np.median(rgb[skin > 0.9], 0) if colour is None else np.array(colour)
    light = _folds(height, width, who.mm_per_px) + 0.05 * _weave(height, width, who.mm_per_px)
    return _laid(rgb, there, np.clip(own * light[..., None], 0, 1))


def glasses(rgb: Image, skin: Image, who: Wearer) -> tuple[Image, Image]:  # noqa: ARG001
    """A frame of brown horn round both eyes that mirrors the lamp, with bridge and temples."""
    (right_x, right_y), (left_x, left_y) = who.eyes
    middle = (right_x + left_x) / 2, (right_y + left_y) / 2
    turn = math.atan2(left_y - right_y, left_x - right_x)
    xs, ys = _millimetres(rgb, middle, who.mm_per_px)
    across = math.cos(turn) * xs + math.sin(turn) * ys
    down = math.cos(turn) * ys - math.sin(turn) * xs
    apart = math.dist(*who.eyes) * who.mm_per_px / 2  # mm from the middle to an eye
    from_eye = np.abs(across) - apart
    rim = np.abs(np.hypot(from_eye / 0.85, down / 0.7) - apart) - 1.4
    bridge = np.maximum(np.abs(down + 0.15 * apart) - 1.5, np.abs(across) - 0.2 * apart)
    temple = np.maximum(np.abs(down + 0.2 * apart) - 2.5, 1.8 * apart - np.abs(across))
    inside = np.maximum(np.minimum(np.minimum(rim, bridge), temple), np.abs(across) - 2.3 * apart)
    gleam = np.exp(-((down + 0.55 * apart) ** 2) / 12) * (0.5 + 0.5 * np.cos(0.4 * across))
    horn = np.array([0.3, 0.17, 0.09]) + 0.7 * gleam[..., None]
    return _laid(rgb, _soft(-inside / 0.4), np.clip(horn, 0, 1))


def watch(rgb: Image, skin: Image, who: Wearer) -> tuple[Image, Image]:
    """A leather strap and a steel case that mirrors the lamp, on the chest."""
    xs, ys = _millimetres(rgb, who.chin, who.mm_per_px)
    across, along = xs + 30, ys - 60
    strap = _soft((9 - np.abs(along)) / 0.5) * _soft((40 - np.abs(across)) / 1.0) * (skin > 0.3)
    away = np.hypot(across, along)
    case = _soft((17 - away) / 0.5) * (skin > 0.3)
    steel = 0.55 + 0.4 * np.cos(6 * np.arctan2(along, across))
    steel = np.where(away < 13, 0.95 - 0.02 * np.abs(across), steel)
    height, width = rgb.shape[:2]
    grain = 1 + 0.06 * _weave(height, width, who.mm_per_px)
    leather = np.array([0.32, 0.18, 0.1]) * grain[..., None]
    out, covered = _laid(rgb, strap, leather)
    out, more = _laid(out, case, np.repeat(np.clip(steel, 0, 1)[..., None], 3, -1))
    return out, np.maximum(covered, more)


def beads(rgb: Image, skin: Image, who: Wearer) -> tuple[Image, Image]:
    """A row of pearls and a gold ring."""
    xs, ys = _millimetres(rgb, who.chin, who.mm_per_px)
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
    rgb: Image, place: Point, mm_per_px: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Right and down from a place."""
    ys, xs = np.mgrid[: rgb.shape[0], : rgb.shape[1]] + 0.5
    return (xs - place[0]) * mm_per_px, (ys - place[1]) * mm_per_px


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
    "a collar of the skin's colour": partial(collar, colour=None),
    "white cuffs": partial(cuff, colour=WHITE), "black cuffs": partial(cuff, colour=BLACK),
    "cuffs of the skin's colour": partial(cuff, colour=None),
    "a watch": watch, "horn glasses": glasses, "beads and a ring": beads,
}  # fmt: skip
