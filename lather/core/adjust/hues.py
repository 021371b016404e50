"""Hue, chroma and lightness by soft brackets on the hue ring, in CIE Lab; black and white by hue.

Encoded values are read as sRGB's. Colours that no bracket weighs stay, to the last bit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lather.core.adjust.bracket import HueRange, bracket_weight, hue_gate, looked_up, ring_degrees
from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import lab_to_srgb, srgb_to_lab
from lather.core.kernels import Kernel

FULL_TONE_CHROMA = 40.0  # from which black and white moves a colour by all that it is told


@dataclass(frozen=True)
class Bracket(HueRange):
    """A soft range of hues, and what becomes of its colours."""

    turn_deg: float = 0.0
    chroma_percent: float = 0.0
    light_l: float = 0.0

    @property
    def is_neutral(self) -> bool:
        return not (self.turn_deg or self.chroma_percent or self.light_l)


@lru_cache(maxsize=64)  # asked for with every tile
def ring_table(brackets: tuple[Bracket, ...]) -> Plane:
    """(N_STEPS + 1, 3): around the ring, what is added to (a, b) along and across itself, as
    shares of it, and to L*."""
    hues = ring_degrees()
    turn, stretch, light = np.zeros_like(hues), np.ones_like(hues), np.zeros_like(hues)
    for bracket in brackets:
        weight = bracket_weight(hues, bracket.middle_deg, bracket.width_deg)
        turn += weight * np.radians(bracket.turn_deg)
        stretch *= 1 + weight * bracket.chroma_percent / 100
        light += weight * bracket.light_l
    table = np.stack([stretch * np.cos(turn) - 1, stretch * np.sin(turn), light], -1)
    return np.ascontiguousarray(table, dtype=np.float32)


def apply_hues(image: FloatImage, brackets: Sequence[Bracket]) -> None:
    """Move colours of (H, W, 4) float32 encoded pixels by their hue, in place; alpha stays."""
    given = tuple(bracket for bracket in brackets if not bracket.is_neutral)
    if given:
        hues_kernel(image, ring_table(given))


def apply_black_and_white(image: FloatImage, brackets: Sequence[Bracket]) -> None:
    """Grey of the same L*, moved by what the brackets add to L*, in place; alpha stays.

    A colour moves by all of it from `FULL_TONE_CHROMA` on, duller ones by their share: where a
    colour fades into grey, so does what was done to it.
    """
    mono_kernel(image, ring_table(tuple(brackets)))


def _hues_reference(image: FloatImage, table: Plane) -> None:
    seen = image[..., 3] > 0
    lab = srgb_to_lab(image[seen][:, :3])
    light, a, b = lab.T
    gate = hue_gate(np.hypot(a, b))
    along, across, lift = (looked_up(table, a, b) * gate[:, None]).T
    moved = lab_to_srgb(np.stack(
        [np.clip(light + lift, 0, 100), a + along * a - across * b, b + along * b + across * a], -1
    ))  # fmt: skip
    changed = (along != 0) | (across != 0) | (lift != 0)
    image[seen, :3] = np.where(changed[:, None], moved, image[seen][:, :3])


def _mono_reference(image: FloatImage, table: Plane) -> None:
    seen = image[..., 3] > 0
    light, a, b = srgb_to_lab(image[seen][:, :3]).T
    chroma = np.hypot(a, b)
    lift = looked_up(table, a, b)[:, 2] * np.minimum(chroma / FULL_TONE_CHROMA, 1)
    grey = np.stack([np.clip(light + lift, 0, 100), np.zeros_like(a), np.zeros_like(a)], -1)
    image[seen, :3] = lab_to_srgb(grey)[:, :1]


hues_kernel = Kernel("lather.core.adjust.compiled_lab", "hues", _hues_reference)
mono_kernel = Kernel("lather.core.adjust.compiled_lab", "mono", _mono_reference)
