"""Does a change of a layer show at a place? What masks hide, and what lies above and covers.

Which layers can show at all is asked in `document/access.py`.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import Plane
from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.pixels import PixelLayer
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL
from lather.document.tree import path_to, place_of
from lather.errors import UnseenError
from lather.render.compositor import render_layers
from lather.render.masks import mask_shares

LEAST_SHOWN = 0.01  # of a change, so that it is seen at all
LOOKED_AT_PX = 256  # long side of a place on the level that is looked at


def refuse_unless_seen(
    state: JobState, layer_id: int, rect: Rect, *, own_mask: bool = True
) -> None:
    """Raise `UnseenError` if nothing done to a layer in `rect` would show.

    `rect` is in full-resolution pixels; `own_mask` says whether the layer's own mask counts.
    """
    level = 0
    while max(rect.width, rect.height) >> level > LOOKED_AT_PX and level < DEEPEST_LEVEL:
        level += 1
    place = rect.at_level(level)
    path = path_to(state.layers, layer_id)
    shown = np.ones((place.height, place.width), dtype=np.float32)

    def refuse_if_hidden(why: str, advice: str) -> None:
        if shown.size and shown.max() < LEAST_SHOWN:
            name = path[-1].name
            raise UnseenError(f"Nothing on '{name}' would show there", why, advice)

    for layer in path if own_mask else path[:-1]:
        _take(shown, shown_by_mask(layer, state.photo.rect, place, level))
        refuse_if_hidden(
            f"the mask of '{layer.name}' hides it", "paint on the mask, or switch it off"
        )
    for layer in path:
        among, index = place_of(state.layers, layer.id)
        for other in among[index + 1 :]:
            covered = _covered(other, state.photo, place, level)
            _take(shown, None if covered is None else 1 - covered)
            refuse_if_hidden(
                f"'{other.name}' above covers it", f"work on '{other.name}' or above, or hide it"
            )


def shown_by_mask(layer: Layer, picture: Rect, rect: Rect, level: int) -> Plane | None:
    """(h, w) 0-1: where a layer's mask lets it show; None where it lets all through."""
    if layer.mask is None or not layer.mask.enabled:
        return None
    return mask_shares(layer.mask, picture, rect, level)


def _covered(layer: Layer, photo: Photo, rect: Rect, level: int) -> Plane | None:
    """(h, w) 0-1: how much a layer hides of what lies below; None if nothing."""
    if not layer.visible or layer.strength <= 0 or layer.mode is not BlendMode.NORMAL:
        return None
    if isinstance(layer, PixelLayer):
        if layer.tiles.bounds().at_level(level).intersect(rect).empty:
            return None
        alpha: Plane = render_layers((layer,), photo, rect, level)[..., 3]
        return alpha
    if not isinstance(layer, GroupLayer):
        return None
    left = np.ones((rect.height, rect.width), dtype=np.float32)
    for child in layer.children:
        covered = _covered(child, photo, rect, level)
        _take(left, None if covered is None else 1 - covered)
    hidden: Plane = (1 - left) * np.float32(layer.strength)
    _take(hidden, shown_by_mask(layer, photo.rect, rect, level))
    return hidden


def _take(share: Plane, by: Plane | None) -> None:
    if by is not None:
        share *= by
