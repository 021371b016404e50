"""Some thirty ways to make another photograph of a portrait, with its truth.

Light, development, place, ground, clothes, what lies before the face, and what a camera does.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.changed import CHANGES, Image, Planes, encoded, painted
from lather.core.colour.lab import luma, to_linear
from lather.core.survey.regions.region import Region

Matrix = NDArray[np.float64]  # (2, 3): from the portrait to the changed picture
SAME: Matrix = np.array([[1.0, 0, 0], [0, 1, 0]])


@dataclass(frozen=True)
class Shown:
    """A picture with its truth, and where it lies on the portrait.

    `covered` is what was drawn over, 0-1: nothing is asked of it.
    """

    rgb: Image
    planes: Planes
    matrix: Matrix = field(default_factory=lambda: SAME)
    covered: Image | None = None


Change = Callable[[Shown], Shown]


def _seen_as(colours: Callable[[Image], NDArray[np.floating]]) -> Change:
    """Other light or development: nothing moves."""
    return lambda shown: Shown(
        np.clip(colours(shown.rgb), 0, 1).astype(np.float32), shown.planes
    )


def _developed(gains: tuple[float, float, float]) -> Change:
    return _seen_as(lambda rgb: encoded(to_linear(rgb) * np.array(gains)))


def _moved(matrix: Matrix, size: Callable[[int, int], tuple[int, int]]) -> Change:
    def change(shown: Shown) -> Shown:
        height, width = shown.rgb.shape[:2]
        out = size(width, height)
        shrinks = abs(np.linalg.det(matrix[:, :2])) < 0.9

        def move(plane: Image) -> Image:
            if shrinks:
                plane = cv2.GaussianBlur(plane, (0, 0), 0.35 / math.sqrt(
                    abs(np.linalg.det(matrix[:, :2]))))  # fmt: skip
            return np.asarray(cv2.warpAffine(plane, matrix, out, flags=cv2.INTER_LINEAR,
                                             borderMode=cv2.BORDER_REPLICATE))  # fmt: skip

        return Shown(move(shown.rgb), {r: move(p) for r, p in shown.planes.items()}, matrix)

    return change


def _scaled(by: float) -> Change:
    return _moved(SAME * by, lambda w, h: (round(w * by), round(h * by)))


def _turned(degrees: float) -> Change:
    def change(shown: Shown) -> Shown:
        height, width = shown.rgb.shape[:2]
        matrix = np.asarray(cv2.getRotationMatrix2D((width / 2, height / 2), degrees, 1.0))
        return _moved(matrix, lambda w, h: (w, h))(shown)

    return change


def _mirrored(shown: Shown) -> Shown:
    width = shown.rgb.shape[1]
    return _moved(np.array([[-1.0, 0, width - 1], [0, 1, 0]]), lambda w, h: (w, h))(shown)


def _cropped(left: float, top: float, right: float, bottom: float) -> Change:
    """To a part of the picture, in shares of its sides."""
    def change(shown: Shown) -> Shown:
        height, width = shown.rgb.shape[:2]
        x, y = round(left * width), round(top * height)
        size = round((right - left) * width), round((bottom - top) * height)
        return _moved(np.array([[1.0, 0, -x], [0, 1, -y]]), lambda *_: size)(shown)

    return change


def _pasted_small(shown: Shown) -> Shown:
    """Into a frame 3.75 times as wide, on a plain grey ground: a portrait of 3.2 MP into 24 MP."""
    height, width = shown.rgb.shape[:2]
    frame = np.full((2 * height, round(3.75 * width), 3), 0.45, dtype=np.float32)
    x, y = round(1.4 * width), round(0.9 * height)
    frame[y : y + height, x : x + width] = shown.rgb
    planes = {}
    for region, plane in shown.planes.items():
        planes[region] = np.full(frame.shape[:2], region is Region.BACKGROUND, dtype=np.float32)
        planes[region][y : y + height, x : x + width] = plane
    return Shown(frame, planes, np.array([[1.0, 0, x], [0, 1, y]]))


def _of(region: Region, colours: Callable[[Image], NDArray[np.floating]]) -> Change:
    """Other colours where a region is."""
    paint = painted(region, colours)
    return lambda shown: Shown(*paint(shown.rgb, shown.planes))


def _noisy(sigma: float) -> Change:
    def change(shown: Shown) -> Shown:
        noise = np.random.default_rng(5).normal(0, sigma, shown.rgb.shape)
        rgb = np.clip(shown.rgb + noise, 0, 1).astype(np.float32)
        return Shown(rgb, shown.planes)

    return change


def _as_jpeg(shown: Shown) -> Shown:
    samples = (255 * shown.rgb[..., ::-1] + 0.5).astype(np.uint8)
    _, data = cv2.imencode(".jpg", samples, [cv2.IMWRITE_JPEG_QUALITY, 50])
    back = cv2.imdecode(data, cv2.IMREAD_COLOR)
    assert back is not None
    rgb = back[..., ::-1].astype(np.float32) / np.float32(255)
    return Shown(rgb, shown.planes)


def _with_somebody(shown: Shown) -> Shown:
    """The same person mirrored, to the right."""
    rgb = np.concatenate([shown.rgb, shown.rgb[:, ::-1]], 1)
    width = shown.rgb.shape[1]
    covered = np.zeros(rgb.shape[:2], dtype=np.float32)
    covered[:, width:] = 1
    planes = {r: np.concatenate([p, p[:, ::-1]], 1) for r, p in shown.planes.items()}
    return Shown(rgb, planes, covered=covered)


def _drawn(draw: Callable[[Image, int, int], None], colour: tuple[float, ...]) -> Change:
    def change(shown: Shown) -> Shown:
        height, width = shown.rgb.shape[:2]
        mask = np.zeros((height, width), dtype=np.float32)
        draw(mask, width, height)
        mask = cv2.GaussianBlur(mask, (0, 0), 0.6)
        rgb = shown.rgb + mask[..., None] * (np.array(colour) - shown.rgb)
        around = cv2.dilate(mask, np.ones((9, 9), np.uint8))
        return Shown(rgb.astype(np.float32), shown.planes, covered=around)

    return change


def _strands(mask: Image, width: int, height: int) -> None:
    """A dozen hairs over forehead and cheek."""
    rng = np.random.default_rng(6)
    for _ in range(12):
        x, y = rng.uniform(0.35, 0.65) * width, rng.uniform(0.15, 0.25) * height
        bend = rng.uniform(-0.12, 0.12) * width
        steps = np.linspace(0, 1, 40)
        points = np.stack([x + bend * steps**2, y + 0.3 * height * steps], 1)
        cv2.polylines(mask, [np.round(16 * points).astype(np.int32)], False, 0.8, 1,
                      cv2.LINE_AA, 4)  # fmt: skip


def _glasses(mask: Image, width: int, height: int) -> None:
    """Plain ones, where the picture has a face more or less; those of `worn` sit on the eyes."""
    for x in (0.42, 0.58):
        centre = round(x * width), round(0.35 * height)
        cv2.ellipse(mask, centre, (round(0.07 * width), round(0.04 * height)), 0, 0, 360, 1.0,
                    max(2, round(0.008 * width)))  # fmt: skip


def _clouds(rgb: Image, grain: int, seed: int) -> Image:
    rng = np.random.default_rng(seed)
    size = rgb.shape[0] // grain + 2, rgb.shape[1] // grain + 2, 3
    coarse = rng.standard_normal(size).astype(np.float32)
    return np.asarray(cv2.resize(coarse, rgb.shape[1::-1], interpolation=cv2.INTER_CUBIC))


def _bricks(rgb: Image) -> NDArray[np.floating]:
    ys, xs = np.mgrid[: rgb.shape[0], : rgb.shape[1]]
    courses = ys // 24
    mortar = (ys % 24 < 3) | ((xs + 30 * (courses % 2)) % 60 < 3)
    clay = np.array([0.55, 0.27, 0.2]) + 0.03 * _clouds(rgb, 6, 3)
    return np.where(mortar[..., None], 0.7, clay)


def _stripes(rgb: Image, period_px: int) -> NDArray[np.floating]:
    xs = np.arange(rgb.shape[1]) % period_px < period_px // 2
    return np.where(xs[None, :, None], np.array([0.85, 0.85, 0.8]), np.array([0.15, 0.2, 0.4]))


ALL_CHANGES: dict[str, Change] = {
    "1000 K warmer": _developed((1.12, 1.0, 0.8)), "1000 K cooler": _developed((0.9, 1.0, 1.2)),
    "1.5 EV darker": _developed((0.354,) * 3), "0.7 EV lighter": _developed((1.62,) * 3),
    "1.5 EV lighter": _developed((2.83,) * 3),
    "more contrast": _seen_as(lambda rgb: 0.5 + 1.3 * (rgb - 0.5)),
    "less contrast": _seen_as(lambda rgb: 0.5 + 0.7 * (rgb - 0.5)),
    "black and white": _seen_as(lambda rgb: np.repeat(luma(rgb)[..., None], 3, -1)),
    "mirrored": _mirrored, "turned by 8": _turned(8), "turned by 25": _turned(25),
    "0.35 of the size": _scaled(0.35), "0.5 of the size": _scaled(0.5),
    "0.75 of the size": _scaled(0.75), "1.5 times": _scaled(1.5),
    "half of the face": _cropped(0.0, 0.0, 0.5, 0.8),
    "a cheek": _cropped(0.4, 0.38, 0.6, 0.5), "small in a frame": _pasted_small,
    "leaves behind": _of(
        Region.BACKGROUND, lambda rgb: np.array([0.25, 0.38, 0.18]) + 0.1 * _clouds(rgb, 12, 4)),
    "bokeh behind": _of(
        Region.BACKGROUND, lambda rgb: np.array([0.35, 0.42, 0.5]) + 0.1 * _clouds(rgb, 90, 5)),
    "bricks behind": _of(Region.BACKGROUND, _bricks),
    "stripes behind": _of(Region.BACKGROUND, lambda rgb: _stripes(rgb, 48)),
    "a wall of skin's colour behind": _of(
        Region.BACKGROUND, lambda rgb: np.broadcast_to((0.62, 0.5, 0.42), rgb.shape)),
    "JPEG quality 50": _as_jpeg, "some noise": _noisy(0.015), "much noise": _noisy(0.04),
    "missed focus": _seen_as(lambda rgb: cv2.GaussianBlur(rgb, (0, 0), 2.0)),
    "a second person": _with_somebody,
    "strands over the face": _drawn(_strands, (0.12, 0.08, 0.05)),
    "glasses": _drawn(_glasses, (0.05, 0.05, 0.06)),
    "a striped shirt": _of(Region.CLOTHING, lambda rgb: _stripes(rgb, 14)),
    "light from the side": lambda shown: Shown(*CHANGES["light from the side"](
        shown.rgb, shown.planes)),
}  # fmt: skip
