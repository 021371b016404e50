"""Layers on top of each other, pulled from above.

Asked for a rectangle, the topmost layer that looks around itself asks for what lies below it in
the rectangle grown by its reach, and so on down: no layer can see beyond what it asked for, and
any part of a picture comes out as that part of the whole.
"""

from __future__ import annotations

from collections.abc import Iterable

from lather.core.arrays import FloatImage
from lather.core.rect import Rect, paste
from lather.document.layers.layer import Layer, Layers
from lather.render.layers import table
from lather.render.layers.scene import Base, Patch, Scene, transparent

MARGIN_STEP_PX = 16


def paint(layers: Layers, scene: Scene, base: Base, rect: Rect) -> FloatImage:
    """(h, w, 4) float32 of exactly that rectangle: layers, bottom to top, on a base."""
    inside = rect.intersect(scene.picture)
    if base is transparent and inside != rect and not rect.empty:
        # Nothing lies beyond; and a row that is opaque is one in whatever piece it is painted.
        out = transparent(rect)
        if not inside.empty:
            paste(out, rect, paint(layers, scene, base, inside), inside)
        return out
    shown = [layer for layer in layers if layer.is_shown]
    first = next((n for n in reversed(range(len(shown))) if shown[n].reach_px(scene.level)), None)
    if first is None:
        out = base(rect)
    elif base is transparent and first + 1 < len(shown):  # above it all is quick to do again
        out = scene.below(scene, tuple(shown[: first + 1]), rect)
        scene = scene.moved_by(tuple(shown[: first + 1]))
        shown = shown[first + 1 :]
    else:
        layer = shown[first]
        reach_px = layer.reach_in_px(rect, scene.level)
        if base is transparent:  # else it is part of what a group was given, and ends with that
            reach_px = _rounded_up(reach_px)
        wide = rect.grown(reach_px).intersect(scene.picture)
        rest = tuple(shown[:first])
        alone = base is transparent and len(rest) > 1  # the photo by itself is read as fast
        kept = scene.tiled if layer.REACH_VARIES else scene.below
        pixels = kept(scene, rest, wide) if alone else paint(rest, scene, base, wide)
        below = Patch(wide, pixels)
        out = below.part(rect)
        inside = rect.intersect(scene.picture)
        if not inside.empty:  # beyond the picture there is nothing to look at
            part = out[inside.shifted(-rect.x0, -rect.y0).slices]
            table.ADD[type(layer)](layer, scene.moved_by(rest), part, inside, below)
        scene = scene.moved_by((*rest, layer))
        shown = shown[first + 1 :]
    lay_on(shown, scene, out, rect)
    return out


def _rounded_up(reach_px: int) -> int:
    """While a radius is dragged what lies below is mostly kept."""
    return -(-reach_px // MARGIN_STEP_PX) * MARGIN_STEP_PX


def lay_on(layers: Iterable[Layer], scene: Scene, out: FloatImage, rect: Rect) -> None:
    """Layers without a reach onto the pixels of a rectangle, in place."""
    for layer in layers:
        if layer.is_shown:
            assert layer.reach_px(scene.level) == 0
            table.ADD[type(layer)](layer, scene, out, rect, Patch(rect, out))
