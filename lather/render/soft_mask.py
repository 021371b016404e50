"""The mask of a layer that moves, smooth enough not to fold its field.

One plane for the whole picture, worked out once for each version of the mask: at every place and
level its samples are the same. It is as coarse as the smoothing allows.
"""

from __future__ import annotations

import operator
from dataclasses import dataclass

import numpy as np

from lather.core.arrays import FULL, Plane
from lather.core.last import Last
from lather.core.rect import Rect
from lather.document.layers.layer import Mask
from lather.document.layers.moving import MovingLayer
from lather.document.tiles import DEEPEST_LEVEL
from lather.render.levels import read_level

LEAST_SIGMA = 2.0  # of the smoothing, in samples: so many are enough to tell it
N_KEPT = 4


@dataclass(frozen=True, eq=False)
class SoftMask:
    """(rows, columns) 0-1: sample (n, m) lies at (m * pitch_px, n * pitch_px) of the picture."""

    shares: Plane
    pitch_px: int

    def at_nodes(self, nodes: Rect, step_px: int) -> Plane:
        """(rows, columns) 0-1: at nodes every `step_px`; beyond the picture its border's."""
        rows, columns = (
            np.clip(np.arange(first, last) * (step_px / self.pitch_px), 0, length - 1)
            for first, last, length in (
                (nodes.y0, nodes.y1, self.shares.shape[0]),
                (nodes.x0, nodes.x1, self.shares.shape[1]),
            )
        )
        lines = _between(self.shares, rows)
        out: Plane = np.ascontiguousarray(_between(lines.T, columns).T, dtype=np.float32)
        return out


def soft_mask(layer: MovingLayer, picture: Rect) -> SoftMask | None:
    """How far a layer's mask lets it move things; None where it lets it everywhere."""
    mask = layer.mask
    if mask is None or mask.shows_all:
        return None
    about = mask.tiles, mask.inverted, layer.step_px, layer.mask_sigma_px, picture
    return _KEPT.of(about, lambda: _smoothed(mask, layer.step_px, layer.mask_sigma_px, picture))


def _smoothed(mask: Mask, step_px: int, sigma_px: float, picture: Rect) -> SoftMask:
    import cv2

    level = step_px.bit_length() - 1
    while sigma_px / (2 << level) >= LEAST_SIGMA and level < DEEPEST_LEVEL:
        level += 1
    pitch_px = 1 << level
    samples = read_level(mask.tiles, picture, picture.at_level(level), level)
    shares = samples.astype(np.float32) / np.float32(FULL)
    if mask.inverted:
        shares = 1 - shares
    # A sample lies half a pitch past its place: the mean of four lies on it.
    shares = cv2.copyMakeBorder(shares, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    shares = (shares[1:, 1:] + shares[1:, :-1] + shares[:-1, 1:] + shares[:-1, :-1]) / 4
    soft = cv2.GaussianBlur(shares, (0, 0), sigma_px / pitch_px, borderType=cv2.BORDER_REPLICATE)
    return SoftMask(np.asarray(soft, dtype=np.float32), pitch_px)


def _between(lines: Plane, places: np.ndarray[tuple[int], np.dtype[np.float64]]) -> Plane:
    """Lines of a plane at places between them."""
    whole = np.minimum(np.floor(places).astype(int), max(len(lines) - 2, 0))
    share = (places - whole).astype(np.float32)[:, None]
    if not share.any():
        return np.asarray(lines[whole])
    after = np.minimum(whole + 1, len(lines) - 1)
    out: Plane = lines[whole] * (1 - share) + lines[after] * share
    return out


_KEPT: Last[SoftMask] = Last(operator.eq, n_kept=N_KEPT)
