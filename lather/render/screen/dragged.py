"""Frames of what is being dragged: near the picture, and replaced by it once it rests.

Layers above the dragged one that look around themselves, which take most of the time, go on
changing what they changed when the drag began (as in the frames of a stroke, `AroundCache`). Where
frames are of a coarser level than the view, what lies below the dragged layer is reduced from what
is kept of the view's level, so that nothing is rendered for the coarse level alone.
"""

from __future__ import annotations

import operator

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.last import Last
from lather.core.rect import Rect
from lather.document.layers.layer import Layer, Layers
from lather.document.state import JobState
from lather.render.compositor import at_once_above, on_kept, scene_of
from lather.render.ground import photo_ground
from lather.render.layers.scene import Base, Scene, transparent
from lather.render.stack import paint


def render_dragged(
    state: JobState, n_kept: int, rect: Rect, level: int, finer: int, began: JobState
) -> FloatImage:
    """(h, w, 4) float32: about what `render` gives of a rectangle of a level.

    Parameters
    ----------
    n_kept : so many of the lowest layers are the same as in `began`.
    finer : by so many levels, what is kept of those layers is finer.
    began : the state with which the drag began.
    """
    lower = tuple(layer for layer in state.layers[:n_kept] if layer.is_shown)
    scene = scene_of(photo_ground(state), level)
    base = _reduced_base(scene_of(photo_ground(state), level - finer), lower, finer)
    above = at_once_above(scene, lower)
    plain = _without_filters(state.layers[n_kept:], level)
    out = paint(plain, above, base, rect)
    if len(plain) < len(state.layers) - n_kept:
        about = began.photo, began.layers, n_kept, rect, level
        out += _FILTERED.of(about, lambda: _filtered(began.layers[n_kept:], above, base, rect))
    return out


def _filtered(layers: Layers, scene: Scene, base: Base, rect: Rect) -> FloatImage:
    """(h, w, 4): what the filters among layers change of a picture; nothing of its alpha."""
    changed = paint(layers, scene, base, rect)
    changed -= paint(_without_filters(layers, scene.level), scene, base, rect)
    changed[..., 3] = 0
    return changed


_FILTERED: Last[FloatImage] = Last(operator.eq, n_kept=8)  # by pieces of the view


def _without_filters(layers: Layers, level: int) -> Layers:
    """Layers, the first of which is dragged, without those above it that look around themselves;
    what a reshape moves is moved."""
    dragged, *above = layers
    return (dragged, *(layer for layer in above if not _is_filter(layer, level)))


def _is_filter(layer: Layer, level: int) -> bool:
    return layer.is_shown and layer.reach_px(level) > 0 and not layer.REDRAWN


def _reduced_base(fine: Scene, lower: Layers, finer: int) -> Base:
    if not lower:
        return transparent
    kept = on_kept(fine, lower)
    if not finer:
        return kept
    return lambda rect: _reduced(kept, fine, rect, finer)


def _reduced(kept: Base, scene: Scene, rect: Rect, finer: int) -> FloatImage:
    """Means of what is kept of a finer scene; its border is repeated beyond the picture."""
    import cv2

    wide = rect.from_level(finer)
    inside = wide.intersect(scene.picture)
    if inside.empty:
        return transparent(rect)
    pixels = kept(inside)
    beyond = (inside.y0 - wide.y0, wide.y1 - inside.y1, inside.x0 - wide.x0, wide.x1 - inside.x1)
    if any(beyond):
        pixels = cv2.copyMakeBorder(pixels, *beyond, cv2.BORDER_REPLICATE)
    size = rect.width, rect.height
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
