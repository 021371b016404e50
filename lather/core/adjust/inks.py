"""Ink balance: the shares of printing inks, moved within soft ranges of colour.

A colour is read as inks on white paper: black K = 1 - max(R, G, B), and of what is left cyan,
magenta and yellow: R = (1 - C)(1 - K), and so on. Each ink is changed in proportion to what is
there of it: -5 points take a twentieth of it. What a range does not weigh stays, to the last bit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lather.core.adjust.bracket import (
    WHOLE_RING_DEG,
    HueRange,
    bracket_weight,
    hue_gate,
    looked_up,
    ring_degrees,
    span_weight,
)
from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import srgb_to_lab
from lather.core.kernels import Kernel


@dataclass(frozen=True)
class InkRange(HueRange):
    """A soft range of colour, and what becomes of its inks, in points."""

    low_l: float = 0.0
    high_l: float = 100.0
    cyan: float = 0.0
    magenta: float = 0.0
    yellow: float = 0.0
    black: float = 0.0

    @property
    def points(self) -> tuple[float, float, float, float]:
        return self.cyan, self.magenta, self.yellow, self.black


def apply_inks(image: FloatImage, ranges: Sequence[InkRange]) -> None:
    """On (H, W, 4) float32 encoded pixels, in place; alpha stays."""
    given = tuple(one for one in ranges if any(one.points))
    if given:
        inks_kernel(image, *_tables(given))


@lru_cache(maxsize=64)  # asked for with every tile
def _tables(ranges: tuple[InkRange, ...]) -> tuple[Plane, Plane, Plane]:
    """Weights around the ring; spans of lightness, with whether all hues count; shares to add."""
    hues = ring_degrees()
    table = np.stack([bracket_weight(hues, r.middle_deg, r.width_deg) for r in ranges], -1)
    spans = [(r.low_l, r.high_l, float(r.width_deg >= WHOLE_RING_DEG)) for r in ranges]
    points = np.array([r.points for r in ranges], dtype=np.float32) / np.float32(100)
    return np.ascontiguousarray(table, np.float32), np.array(spans, np.float32), points


def _inks_reference(image: FloatImage, table: Plane, spans: Plane, points: Plane) -> None:
    seen = image[..., 3] > 0
    colour = image[seen][:, :3].astype(np.float64)
    light, a, b = srgb_to_lab(colour).T
    gate = hue_gate(np.hypot(a, b))
    found = looked_up(table, a, b).astype(np.float64)
    moves = np.zeros((len(colour), 4))
    for n, (low_l, high_l, whole) in enumerate(spans):
        weight = found[:, n] * (1 if whole else gate) * span_weight(light, low_l, high_l)
        moves += weight[:, None] * points[n]
    top = colour.max(-1, keepdims=True)
    inks = np.where(top > 0, 1 - colour / np.maximum(top, 1e-9), 0)
    inks = np.clip(inks * (1 + moves[:, :3]), 0, 1)
    black = np.clip((1 - top) * (1 + moves[:, 3:]), 0, 1)
    printed = (1 - inks) * (1 - black)
    image[seen, :3] = np.where((moves != 0).any(-1)[:, None], printed, image[seen][:, :3])


inks_kernel = Kernel("lather.core.adjust.compiled_lab", "inks", _inks_reference)
