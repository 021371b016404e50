"""Does a change of a layer show at a place? What masks and limits hide, and what lies above.

Which layers can show at all is asked in `document/access.py`. A mask lies in the space of its
layer, and so does what covers: the place is looked for where it lies there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, partial

import numpy as np

from lather.core.arrays import Plane
from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.core.shape.field import Points
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.limits import OPEN
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL
from lather.document.tree import path_to, place_of
from lather.errors import UnseenError
from lather.render.compositor import render_layers
from lather.render.masks import mask_shares
from lather.render.shown import shares_by_limits
from lather.render.space import Space, layer_space

LEAST_SHOWN = 0.01  # of a change, so that it is seen at all
LOOKED_AT_PX = 256  # long side of a place on the level that is looked at


def refuse_unless_seen(
    state: JobState, layer_id: int, rect: Rect, *, own_mask: bool = True
) -> None:
    """Raise `UnseenError` if nothing done to a layer in `rect` would show.

    `rect` is in full-resolution pixels of the layer's space; `own_mask` says whether the layer's
    own mask counts.
    """
    level = 0
    while max(rect.width, rect.height) >> level > LOOKED_AT_PX and level < DEEPEST_LEVEL:
        level += 1
    place = _Place(layer_space(state, layer_id), rect.at_level(level), level)
    path = path_to(state.layers, layer_id)
    shown = np.ones((place.rect.height, place.rect.width), dtype=np.float32)

    def take(by: Plane | None, why: str, advice: str) -> None:
        _take(shown, by)
        if shown.size and shown.max() < LEAST_SHOWN:
            raise UnseenError(f"Nothing on '{path[-1].name}' would show there", why, advice)

    for layer in path:
        there = layer_space(state, layer.id)
        if own_mask or layer.id != layer_id:
            masked = place.seen_by(there, partial(_by_mask, state, layer, level))
            take(masked, f"the mask of '{layer.name}' hides it",
                 "paint on the mask, or switch it off")  # fmt: skip
        limited = place.seen_by(there, partial(_by_limits, state, layer, level))
        take(limited, f"'{layer.name}' is limited to what lies elsewhere",
             "work where its limits let it show, or open them")  # fmt: skip
    for layer in path:
        among, index = place_of(state.layers, layer.id)
        for other in among[index + 1 :]:
            there = layer_space(state, other.id)
            left = place.seen_by(there, partial(_left_by, state, other, level))
            take(left, f"'{other.name}' above covers it",
                 f"work on '{other.name}' or above, or hide it")  # fmt: skip


@dataclass(frozen=True)
class _Place:
    """A rectangle of a level of a space, to be looked for in spaces above."""

    space: Space
    rect: Rect
    level: int

    def seen_by(self, there: Space, read: Callable[[Rect], Plane | None]) -> Plane | None:
        """(h, w): what `read` has of a space above, at the pixels of this place."""
        if len(there.above) == len(self.space.above):
            return read(self.rect)
        import cv2

        places = self.space.lifted(self._centres, there) / (1 << self.level) - 0.5
        low, high = np.floor(places.min(0)).astype(int), np.ceil(places.max(0)).astype(int)
        wide = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)
        plane = read(wide)
        if plane is None:
            return None
        x, y = (places - low).astype(np.float32).T.reshape(2, self.rect.height, self.rect.width)
        out: Plane = cv2.remap(plane, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return out

    @cached_property
    def _centres(self) -> Points:
        xs, ys = np.arange(self.rect.x0, self.rect.x1), np.arange(self.rect.y0, self.rect.y1)
        at = np.stack(np.meshgrid(xs, ys), -1).reshape(-1, 2)
        return np.asarray((at + 0.5) * (1 << self.level), dtype=np.float64)


def _by_mask(state: JobState, layer: Layer, level: int, rect: Rect) -> Plane | None:
    """(h, w) 0-1: where a layer's mask lets it show; None where it lets all through."""
    if layer.mask is None or not layer.mask.enabled:
        return None
    return mask_shares(layer.mask, state.photo.rect, rect, level)


def _by_limits(state: JobState, layer: Layer, level: int, rect: Rect) -> Plane | None:
    return shares_by_limits(state, layer, rect, level)


def _left_by(state: JobState, layer: Layer, level: int, rect: Rect) -> Plane | None:
    """(h, w) 0-1: how much a layer lets through of what lies below; None for all of it."""
    if not layer.visible or layer.strength <= 0 or layer.mode is not BlendMode.NORMAL:
        return None
    covered = _covered(state, layer, level, rect)
    if covered is None:
        return None
    _take(covered, _by_limits(state, layer, level, rect))
    return 1 - covered


def _covered(state: JobState, layer: Layer, level: int, rect: Rect) -> Plane | None:
    """(h, w) 0-1: how much a layer hides of what lies below, but for its limits; None if
    nothing."""
    if isinstance(layer, PixelLayer):
        if layer.tiles.bounds().at_level(level).intersect(rect).empty:
            return None
        alone = replace(layer, limits=OPEN)
        alpha: Plane = render_layers((alone,), state.photo, rect, level)[..., 3]
        return alpha
    if not isinstance(layer, GroupLayer):
        return None
    left = np.ones((rect.height, rect.width), dtype=np.float32)
    for child in layer.children:
        _take(left, _left_by(state, child, level, rect))
    hidden: Plane = (1 - left) * np.float32(layer.strength)
    _take(hidden, _by_mask(state, layer, level, rect))
    return hidden


def _take(share: Plane, by: Plane | None) -> None:
    if by is not None:
        share *= by
