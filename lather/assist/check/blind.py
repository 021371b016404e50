"""The blinded test: photo and retouch at delivery size, in an order that nobody knows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from random import Random

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.agreed.trials import Answer
from lather.document.state import JobState
from lather.render.compositor import render


@dataclass(frozen=True, eq=False)
class BlindPair:
    """Two pictures of the same place.

    Attributes
    ----------
    pictures : (h, w, 4) float32 encoded each, at delivery size.
    photo_at : which of them is the photo, 0 or 1.
    scale : of the full size.
    """

    pictures: tuple[FloatImage, FloatImage]
    photo_at: int
    scale: float

    def answer(self, photo_at: int | None) -> Answer:
        """What an answer was: the index that was taken for the photo, or None."""
        if photo_at is None:
            return Answer.CANNOT_TELL
        return Answer.RIGHT if photo_at == self.photo_at else Answer.WRONG


def blind_pair(
    state: JobState, width_px: int, height_px: int, chance: Callable[[], int] | None = None,
    person: int = 0,
) -> BlindPair:
    """The photo and the retouch around a person's face, at most so large; `chance` gives 0 or 1."""
    scale = state.delivery_scale
    rect = _place(state, person, width_px / scale, height_px / scale)
    flip = chance() if chance is not None else Random().randrange(2)
    both = [_at_size(one, rect, scale) for one in (state.as_photographed, state)]
    first, second = both if flip == 0 else reversed(both)
    return BlindPair((first, second), flip, scale)


def _place(state: JobState, person: int, width: float, height: float) -> Rect:
    """As much of the photo as goes in, with the face in its middle if one was found."""
    photo = state.photo.rect
    x, y = photo.width / 2, photo.height / 2
    if person < len(state.findings.faces):
        x, y = state.findings.faces[person].at(0, 0.6)
    w, h = min(round(width), photo.width), min(round(height), photo.height)
    x0 = min(max(0, round(x - w / 2)), photo.width - w)
    y0 = min(max(0, round(y - h / 2)), photo.height - h)
    return Rect(x0, y0, x0 + w, y0 + h)


def _at_size(state: JobState, rect: Rect, scale: float) -> FloatImage:
    import cv2

    level = 0
    while 0.5 ** (level + 1) >= scale:
        level += 1
    pixels = render(state, rect.at_level(level), level)
    size = max(1, round(rect.width * scale)), max(1, round(rect.height * scale))
    if size == pixels.shape[1::-1]:
        return pixels
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
