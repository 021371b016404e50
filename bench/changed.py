"""The demo portraits with their truth, and changed versions of both.

What holds only on the portraits as they are is not done: other light, sizes, grounds, colours.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.colour.lab import luma, to_linear
from lather.core.survey.regions.region import Region
from lather.paths import demo_dir

Image = NDArray[np.float32]
Planes = dict[Region, Image]
Change = Callable[[Image, Planes], tuple[Image, Planes]]

PORTRAITS = (1, 2, 8, 9, 10, 11)
BEARD_MM, BEARD = 2.0, 0.05  # sigma and share of strands from which a place is the beard's
TRUTH_MASKS = {
    Region.SKIN: "skin", Region.HAIR: "hair", Region.LIPS: "lips", Region.IRIS: "iris",
    Region.EYE_WHITE: "sclera", Region.BROWS: "brows_lashes", Region.TEETH: "teeth",
    Region.CLOTHING: "clothing", Region.BACKGROUND: "background",
}  # fmt: skip


def portrait(number: int, scale: float = 1.0) -> Image:
    """A demo portrait, (H, W, 3) encoded RGB 0-1."""
    picture = cv2.imread(str(demo_dir() / f"portrait{number}.jpg"))
    assert picture is not None, number
    rgb = np.ascontiguousarray(picture[..., ::-1], dtype=np.float32) / np.float32(255)
    return _sized(rgb, scale)


def truth(number: int, scale: float = 1.0) -> Planes:
    """Its regions, 0-1."""
    planes = {}
    for region, name in TRUTH_MASKS.items():
        mask = cv2.imread(str(demo_dir() / f"portrait{number}_mask_{name}.png"), 0)
        assert mask is not None, name
        planes[region] = _sized(mask.astype(np.float32) / np.float32(255), scale)
    planes[Region.BEARD] = _sized(_beard(number), scale)
    return planes


def facts(number: int) -> dict[str, Any]:
    """What is known of a demo portrait: scale, marks, places."""
    found: dict[str, Any] = json.loads((demo_dir() / f"portrait{number}_truth.json").read_text())
    return found


def _beard(number: int) -> Image:
    """The area of a beard, of whose strands there is a mask; nothing where nobody has one."""
    path = demo_dir() / f"portrait{number}_mask_beard.png"
    if not path.exists():
        return np.zeros(portrait(number).shape[:2], dtype=np.float32)
    strands = cv2.imread(str(path), 0)
    assert strands is not None, path
    sigma_px = BEARD_MM / facts(number)["mm_per_pixel"]
    spread = cv2.GaussianBlur(strands.astype(np.float32) / np.float32(255), (0, 0), sigma_px)
    return np.asarray(spread > BEARD, dtype=np.float32)


def without_flaw(number: int, flaw: str) -> Image | None:
    """What taking one flaw away adds to a portrait, (H, W, 3); None where the demo has it not."""
    path = demo_dir() / f"portrait{number}_delta_{flaw}.png"
    if not path.exists():
        return None
    delta = cv2.imread(str(path))
    assert delta is not None, path
    change: Image = (delta[..., ::-1].astype(np.float32) - 128) / np.float32(255)
    return change


def overlap(one: Image, other: Image) -> float:
    """The sum of the lesser over the sum of the greater coverage."""
    return float(np.minimum(one, other).sum() / max(float(np.maximum(one, other).sum()), 1e-6))


def _sized(plane: Image, scale: float) -> Image:
    if scale == 1:
        return plane
    resized: Image = cv2.resize(plane, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return resized


def encoded(linear: NDArray[np.floating]) -> Image:
    """Linear light as sRGB 0-1."""
    low = 12.92 * np.clip(linear, 0, None)
    high = 1.055 * np.clip(linear, 1e-9, None) ** (1 / 2.4) - 0.055
    return np.asarray(np.clip(np.where(linear <= 0.0031308, low, high), 0, 1), dtype=np.float32)


def _lit(*gains: float) -> Change:
    return lambda rgb, truth: (encoded(to_linear(rgb) * np.array(gains)), truth)


def _from_the_side(rgb: Image, truth: Planes) -> tuple[Image, Planes]:
    gain = np.linspace(0.3, 1.3, rgb.shape[1])[None, :, None]
    return encoded(to_linear(rgb) * gain), truth


def _with_noise(rgb: Image, truth: Planes) -> tuple[Image, Planes]:
    noise = np.random.default_rng(3).standard_normal(rgb.shape)
    return np.clip(rgb + 0.03 * noise, 0, 1).astype(np.float32), truth


def _smaller(rgb: Image, truth: Planes) -> tuple[Image, Planes]:
    return _sized(rgb, 0.6), {region: _sized(plane, 0.6) for region, plane in truth.items()}


def _mirrored(rgb: Image, truth: Planes) -> tuple[Image, Planes]:
    planes = {r: np.ascontiguousarray(plane[:, ::-1]) for r, plane in truth.items()}
    return np.ascontiguousarray(rgb[:, ::-1]), planes


def _turned(rgb: Image, truth: Planes) -> tuple[Image, Planes]:
    """By 15 degrees, and cut so that nothing is made up at the border."""
    height, width = rgb.shape[:2]
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), 15, 1.32)

    def turn(plane: Image) -> Image:
        return np.asarray(cv2.warpAffine(plane, matrix, (width, height)))

    return turn(rgb), {region: turn(plane) for region, plane in truth.items()}


def painted(region: Region, colours: Callable[[Image], NDArray[np.floating]]) -> Change:
    """Other colours where a region is."""
    def change(rgb: Image, truth: Planes) -> tuple[Image, Planes]:
        share = truth[region][..., None]
        return (rgb + share * (np.clip(colours(rgb), 0, 1) - rgb)).astype(np.float32), truth

    return change


def _grey(rgb: Image) -> Image:
    return encoded(np.repeat(1.5 * luma(to_linear(rgb).astype(np.float32))[..., None], 3, -1))


def _leaves(rgb: Image) -> NDArray[np.floating]:
    rng = np.random.default_rng(4)
    size = max(1, rgb.shape[0] // 80), max(1, rgb.shape[1] // 80), 3
    coarse = rng.standard_normal(size).astype(np.float32)
    leaves: Image = cv2.resize(coarse, rgb.shape[1::-1])
    colours: NDArray[np.floating] = np.array([0.25, 0.38, 0.18]) + np.float32(0.12) * leaves
    return colours


CHANGES: dict[str, Change] = {
    "little light": _lit(0.35, 0.35, 0.35), "warm light": _lit(1.15, 1, 0.7),
    "light from the side": _from_the_side, "noise": _with_noise, "smaller": _smaller,
    "mirrored": _mirrored, "turned": _turned,
    "leaves behind": painted(Region.BACKGROUND, _leaves),
    "a wall of skin's colour": painted(
        Region.BACKGROUND, lambda rgb: np.broadcast_to((0.62, 0.5, 0.42), rgb.shape)),
    "grey hair": painted(Region.HAIR, _grey),
    "white clothes": painted(Region.CLOTHING, lambda rgb: 0.8 + 0.3 * (rgb - rgb.mean())),
    "dark skin": painted(
        Region.SKIN, lambda rgb: encoded(to_linear(rgb) * np.array((0.3, 0.24, 0.22)))),
}  # fmt: skip
