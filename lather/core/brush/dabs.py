"""Dabs: the single prints of a brush, and how their coverage adds up within a stroke.

One dab covers `flow` of what is still missing to `opacity`, weighted by the rim profile p:
    c <- c + flow * p * max(0, opacity - c).
So one dab leaves opacity * flow at its centre, n dabs opacity * (1 - (1 - flow)**n), and a
stroke can approach `opacity` but never exceed it, whatever pressure does on the way.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL, LayerPixels, MaskPixels, Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect

Dabs = NDArray[np.float32]  # (N, 6): x, y, radius_px, hardness 0-1, flow 0-1, opacity 0-1
DAB_COLUMNS = 6


def rim_profile(distance_px: Plane, radius_px: float, hardness: float) -> Plane:
    """Coverage of a dab at `distance_px` from its centre, 0-1.

    Full up to hardness * radius, then the smooth bell (1 - t^2)^2 down to zero at the rim.
    The rim is never sharper than one pixel: where the bell would be, it is widened to a pixel
    and turns by and by into the straight edge of an anti-aliased disc, which it is at hardness
    1, with half coverage exactly on the radius. So coverage changes without a step with size,
    hardness and place, and at every point it rises with the size.
    """
    soft_px = (1.0 - hardness) * radius_px
    disc = max(0.0, 1.0 - soft_px)  # share of the straight edge
    t = np.clip((distance_px - (hardness * radius_px - disc / 2)) / max(1.0, soft_px), 0.0, 1.0)
    profile: Plane = (disc * (1.0 - t) + (1.0 - disc) * np.square(1.0 - np.square(t))).astype(
        np.float32
    )
    return profile


def dabs_rect(dabs: Dabs) -> Rect:
    """Pixels that any of the dabs can touch."""
    return Rect.union_of(
        Rect.around(float(x), float(y), float(radius) + 1.0) for x, y, radius in dabs[:, :3]
    )


def _stamp_reference(coverage: Plane, x0: float, y0: float, dabs: Dabs) -> None:
    """Add dabs to a coverage plane whose top left corner lies at (x0, y0)."""
    height, width = coverage.shape
    for x, y, radius_px, hardness, flow, opacity in dabs.tolist():
        box = Rect.around(x - x0, y - y0, radius_px + 1).intersect(Rect(0, 0, width, height))
        if box.empty:
            continue
        ys = np.arange(box.y0, box.y1, dtype=np.float32)[:, None] + np.float32(0.5 + y0 - y)
        xs = np.arange(box.x0, box.x1, dtype=np.float32)[None, :] + np.float32(0.5 + x0 - x)
        amount = np.float32(flow) * rim_profile(np.hypot(xs, ys), radius_px, hardness)
        part = coverage[box.slices]
        part += amount * np.maximum(np.float32(opacity) - part, 0)


def _lay_colour_reference(
    base: LayerPixels, coverage: Plane, source: LayerPixels, out: LayerPixels
) -> None:
    """Source-over of an (H, W, 4) source through `coverage` onto `base`, into `out`."""
    alpha_s = coverage[..., None] * source[..., 3:].astype(np.float32) / FULL
    alpha_b = base[..., 3:].astype(np.float32) / FULL
    alpha_o = alpha_s + alpha_b * (1 - alpha_s)
    colour = (
        alpha_s * source[..., :3].astype(np.float32)
        + (1 - alpha_s) * alpha_b * base[..., :3].astype(np.float32)
    ) / np.maximum(alpha_o, 1e-9)
    touched = (alpha_s > 0)[..., 0]
    out[..., :3] = np.where(touched[..., None], colour + 0.5, base[..., :3])
    out[..., 3] = np.where(touched, alpha_o[..., 0] * FULL + 0.5, base[..., 3])


def _lay_erase_reference(base: LayerPixels, coverage: Plane, out: LayerPixels) -> None:
    out[..., :3] = base[..., :3]
    out[..., 3] = base[..., 3] * (1 - coverage) + np.float32(0.5)


def _lay_mask_reference(
    base: MaskPixels, coverage: Plane, target: float, out: MaskPixels
) -> None:
    """Move a mask towards `target` (0-1) by `coverage`."""
    out[...] = base + coverage * (np.float32(target * FULL) - base) + np.float32(0.5)


_COMPILED = "lather.core.brush.compiled"
stamp = Kernel(_COMPILED, "stamp", _stamp_reference)
lay_colour = Kernel(_COMPILED, "lay_colour", _lay_colour_reference)
lay_erase = Kernel(_COMPILED, "lay_erase", _lay_erase_reference)
lay_mask = Kernel(_COMPILED, "lay_mask", _lay_mask_reference)
