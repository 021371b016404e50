"""How much a field moves and stretches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.shape.field import Field, stretches

LEAST_MOVED_MM = 0.1  # what counts as moved
MOST_STRETCH, LEAST_STRETCH = 1.3, 0.7


@dataclass(frozen=True)
class Displacement:
    """What a field does; lengths in px of the picture.

    Attributes
    ----------
    largest_px, x, y : the largest displacement, and where it is seen.
    moved_px2 : the area that is moved by more than what counts as moved.
    most_stretched, least_stretched : of any place, 1 is not at all.
    too_far_px2 : the area that is stretched beyond `MOST_STRETCH` or under `LEAST_STRETCH`.
    """

    largest_px: float = 0.0
    x: float = 0.0
    y: float = 0.0
    moved_px2: float = 0.0
    most_stretched: float = 1.0
    least_stretched: float = 1.0
    too_far_px2: float = 0.0


def displacement(field: Field, mm_per_px: float) -> Displacement:
    """Measure a field; the scale says what counts as moved."""
    length = field.lengths_px
    if not length.size or not length.any():
        return Displacement()
    row, column = np.unravel_index(int(length.argmax()), length.shape)
    least, most = stretches(field)
    cell = float(field.step_px**2)
    return Displacement(
        float(length[row, column]),
        float((column + field.rect.x0) * field.step_px),
        float((row + field.rect.y0) * field.step_px),
        cell * int((length * mm_per_px > LEAST_MOVED_MM).sum()),
        float(most.max()), float(least.min()), cell * int(too_far(least, most).sum()),
    )  # fmt: skip


def too_far(least: NDArray[np.float32], most: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Where skin is stretched or squeezed more than it can bear."""
    far: NDArray[np.bool_] = (most > MOST_STRETCH) | (least < LEAST_STRETCH)
    return far
