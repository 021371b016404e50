"""Grain: noise that is the picture's own: the same at every zoom and with every rendering.

Two square fields of noise, which meet again the same way only after 3,072 px, are laid
side by side over the whole picture and added. At a reduced level each is averaged as the picture
is, so that grain fades with distance as it does on paper.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from lather.core.arrays import FloatImage, Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect
from lather.core.two_parts import in_two_parts

SIDES_PX = (768, 1024)  # multiples of the deepest level's pixel, 256
N_FIELDS = 4  # lightness, and one for each colour
LEAST_SIZE_PX = 0.5  # smaller grain is a pixel's


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
def _field(side_px: int, size_px: float, seed: int, level: int) -> NDArray[np.float32]:
    """A square of noise that goes on at its own other end; variance 1 at full size."""
    if level:
        finer = _field(side_px, size_px, seed, level - 1)
        halved: NDArray[np.float32] = 0.25 * (
            finer[::2, ::2] + finer[1::2, ::2] + finer[::2, 1::2] + finer[1::2, 1::2]
        )
        return halved
    planes = _white(side_px, seed)
    if size_px > LEAST_SIZE_PX:
        soft = np.empty_like(planes)

        def blur(first: int, last: int) -> None:
            for n in range(first, last):
                gaussian_filter(planes[n], size_px, mode="wrap", output=soft[n])

        in_two_parts(blur, N_FIELDS, soft.size)
        planes = soft
    noise = np.ascontiguousarray(np.moveaxis(planes, 0, -1))
    noise -= noise.mean((0, 1))
    return np.asarray(noise / noise.std((0, 1)), dtype=np.float32)


@lru_cache(maxsize=4)
def _white(side_px: int, seed: int) -> NDArray[np.float32]:
    """Plane by plane, of which each pixel is by itself; the same for grains of all sizes."""
    white = np.random.default_rng(seed).standard_normal((side_px, side_px, N_FIELDS), np.float32)
    return np.ascontiguousarray(np.moveaxis(white, -1, 0))


grain_kernel = Kernel("lather.core.filter.compiled", "add_noise", _grain_reference)


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
