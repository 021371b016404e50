"""CIE Lab and the CIEDE2000 colour difference, for measuring (not for display).

Inputs are encoded sRGB 0-1, (..., 3). White point D65, 2 degree observer.
Sources: IEC 61966-2-1 (sRGB); CIE 15:2004 (Lab); Sharma, Wu, Dalal 2005 (CIEDE2000).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_SRGB_TO_XYZ = np.array(
    [
        [0.4123907993, 0.3575843394, 0.1804807884],
        [0.2126390059, 0.7151686788, 0.0721923154],
        [0.0193308187, 0.1191947798, 0.9505321522],
    ]
)
D65 = np.array([0.9504559271, 1.0, 1.0890577508])
SRGB_TO_WHITE = _SRGB_TO_XYZ / D65[:, None]  # linear sRGB to XYZ of which white has 1 each
WHITE_TO_SRGB = np.linalg.inv(SRGB_TO_WHITE)
LIGHTNESS_WEIGHTS = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)


def luma(rgb: NDArray[np.float32]) -> NDArray[np.float32]:
    """Weighted sum of encoded RGB: the light of a pixel as the mending modes compare it."""
    result: NDArray[np.float32] = rgb[..., :3] @ LIGHTNESS_WEIGHTS
    return result


def to_linear(encoded: NDArray[np.floating]) -> NDArray[np.floating]:
    """Encoded sRGB 0-1 to linear light, in the dtype given."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def to_encoded(linear: NDArray[np.floating]) -> NDArray[np.floating]:
    """Linear light to encoded sRGB, each 0-1; the inverse of `to_linear`."""
    curved = 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, 12.92 * linear, curved)


def lab_to_srgb(lab: NDArray[np.floating]) -> NDArray[np.float64]:
    """Lab to encoded sRGB; colours that sRGB has not come out with each channel at its end."""
    light, a, b = np.moveaxis(np.asarray(lab, dtype=np.float64), -1, 0)
    fy = (light + 16) / 116
    f = np.stack([fy + a / 500, fy, fy - b / 200], -1)
    xyz = np.where(f > 6 / 29, f**3, (116 * f - 16) * 27 / 24389)
    return to_encoded(np.clip(_times(WHITE_TO_SRGB, xyz), 0, 1)).astype(np.float64)


def _times(matrix: NDArray[np.float64], colours: NDArray[np.floating]) -> NDArray[np.floating]:
    """A matrix times (..., 3) colours. No matrix product: its last bit depends on where a colour
    lies in the array."""
    x, y, z = np.moveaxis(colours, -1, 0)
    return np.stack([row[0] * x + row[1] * y + row[2] * z for row in matrix], -1)


def srgb_to_lab(rgb: NDArray[np.floating]) -> NDArray[np.float64]:
    """Encoded sRGB 0-1 to Lab (L* 0-100)."""
    linear = to_linear(np.asarray(rgb, dtype=np.float64))
    xyz = _times(SRGB_TO_WHITE, linear)
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1
    )


def ciede2000(
    lab1: NDArray[np.floating], lab2: NDArray[np.floating]
) -> NDArray[np.float64]:
    """Colour difference of two (..., 3) Lab arrays; weights kL = kC = kH = 1."""
    l1, a1, b1 = np.moveaxis(np.asarray(lab1, dtype=np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab2, dtype=np.float64), -1, 0)
    c_mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(c_mean7 / (c_mean7 + 25.0**7)))
    c1, c2 = np.hypot((1 + g) * a1, b1), np.hypot((1 + g) * a2, b2)
    h1 = np.degrees(np.arctan2(b1, (1 + g) * a1)) % 360
    h2 = np.degrees(np.arctan2(b2, (1 + g) * a2)) % 360
    grey = c1 * c2 == 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    turn = np.where(grey, 0, turn)
    d_hue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    far = np.abs(h1 - h2) > 180
    total = h1 + h2
    h_mean = np.where(far, np.where(total < 360, total + 360, total - 360), total) / 2
    h_mean = np.where(grey, total, h_mean)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    s_l = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    s_c, s_h = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    rotation = -2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)) * np.sin(
        np.radians(60 * np.exp(-(((h_mean - 275) / 25) ** 2)))
    )
    lightness, chroma, hue = (l2 - l1) / s_l, (c2 - c1) / s_c, d_hue / s_h
    squared = lightness**2 + chroma**2 + hue**2 + rotation * chroma * hue
    result: NDArray[np.float64] = np.sqrt(np.maximum(squared, 0))
    return result
