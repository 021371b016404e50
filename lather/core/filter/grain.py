"""Grain: noise that is the picture's own: the same at every zoom and with every rendering.

Two square fields of noise, which meet again the same way only after 3,072 px, are laid
side by side over the whole picture and added. At a reduced level each is averaged as the picture
is, so that grain fades with distance as it does on paper.
"""

from __future__ import annotations

import threading
from functools import lru_cache

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect
from lather.core.two_parts import in_two_parts

SIDES_PX = (768, 1024)  # multiples of the deepest level's pixel, 256
N_FIELDS = 4  # lightness, and one for each colour
LEAST_SIZE_PX = 0.5  # smaller grain is a pixel's
_MAKING = threading.Lock()  # who needs a field that another thread makes waits for it


def add_grain(
    out: FloatImage, rect: Rect, level: int, sigma_l: float, size_px: float, colour: float,
    seed: int,
) -> None:
    """On (h, w, 4) float32 encoded pixels of a rectangle of a mip level, in place.

    It is strongest in the middle tones and fades to none in black and white, as a print's does.

    Parameters
    ----------
    sigma_l : of the middle grey, in L* (hundredths of encoded values).
    size_px : sigma of a grain, in pixels of the full picture.
    colour : 0-1, the share that differs between the colours.
    """
    if sigma_l == 0:
        return
    size_px = round(max(size_px, LEAST_SIZE_PX), 2)
    with _MAKING:
        one, other = (_field(side, size_px, seed + n, level) for n, side in enumerate(SIDES_PX))
    scale = sigma_l / 100 / np.sqrt(len(SIDES_PX))
    grain_kernel(
        out, one, other, rect.x0, rect.y0, np.float32(scale * np.sqrt(1 - colour**2)),
        np.float32(scale * colour),
    )  # fmt: skip


def _grain_reference(
    out: FloatImage, one: FloatImage, other: FloatImage, left: int, top: int, light: float,
    tint: float,
) -> None:
    """Both fields, laid side by side from the picture's (0, 0), added to a part of it, in place."""
    rows, columns = np.arange(top, top + out.shape[0]), np.arange(left, left + out.shape[1])
    noise = sum(
        field[(rows % field.shape[0])[:, None], (columns % field.shape[1])[None, :]]
        for field in (one, other)
    )
    values = np.clip(out[..., :3], 0, 1)
    room = np.sqrt(4 * values * (1 - values))
    out[..., :3] += room * (light * noise[..., :1] + tint * noise[..., 1:])


@lru_cache(maxsize=24)
def _field(side_px: int, size_px: float, seed: int, level: int) -> FloatImage:
    """A square of noise that goes on at its own other end; variance 1 at full size."""
    import cv2

    if level:
        finer = _field(side_px, size_px, seed, level - 1)
        half = side_px >> level, side_px >> level
        return np.asarray(cv2.resize(finer, half, interpolation=cv2.INTER_AREA))
    white = _white(side_px, seed)
    noise = _softened(white, size_px) if size_px > LEAST_SIZE_PX else white.copy()
    standardise_kernel(noise)
    return noise


@lru_cache(maxsize=4)
def _white(side_px: int, seed: int) -> FloatImage:
    """Of which each pixel is by itself; the same for grains of all sizes."""
    random = np.random.default_rng(seed)
    return random.standard_normal((side_px, side_px, N_FIELDS), np.float32)


def _softened(field: FloatImage, sigma_px: float) -> FloatImage:
    """A square that goes on at its other end, blurred; summed in float64, as ndimage's filter."""
    import cv2

    reach = int(4 * sigma_px + 0.5)
    kernel = np.exp(-0.5 / sigma_px**2 * np.arange(-reach, reach + 1) ** 2)
    kernel, alone = kernel / kernel.sum(), np.ones(1)
    wide = cv2.copyMakeBorder(field, reach, reach, reach, reach, cv2.BORDER_WRAP)
    side = len(field)
    out = np.empty_like(field)

    def blur(top: int, end: int) -> None:
        down = cv2.sepFilter2D(wide[top : end + 2 * reach], cv2.CV_64F, alone, kernel)
        down = down[reach : reach + end - top].astype(np.float32)
        out[top:end] = cv2.sepFilter2D(down, cv2.CV_64F, kernel, alone)[:, reach : reach + side]

    in_two_parts(blur, side, field.size)
    return out


def _standardise_reference(noise: FloatImage) -> None:
    """Mean 0 and variance 1 of each channel of (h, w, c), in place."""
    noise -= noise.mean((0, 1))
    noise /= noise.std((0, 1))


grain_kernel = Kernel("lather.core.filter.compiled", "add_noise", _grain_reference)
standardise_kernel = Kernel("lather.core.filter.compiled", "standardise", _standardise_reference)


def grain_sigma_l(light: Plane) -> float:
    """The sigma of the grain of a plane of encoded lightness, in L* (hundredths).

    The median of the absolute differences that a straight slope leaves (Immerkaer 1996, with the
    median in place of the mean), so that edges and texture, which are few, do not count.
    """
    if min(light.shape) < 3:
        return 0.0
    rows = light[:-2] - 2 * light[1:-1] + light[2:]
    both = rows[:, :-2] - 2 * rows[:, 1:-1] + rows[:, 2:]
    return 100 * float(np.median(np.abs(both))) / 0.6745 / 6
