"""Tone and texture of what lies below, each with its layers, put together again."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.document.layers.layer import Layer
from lather.document.layers.split import Part, SplitLayer, StackLayer
from lather.render.layers.scene import Base, Patch, Scene
from lather.render.masks import lay_changed


def add(layer: SplitLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    if layer.is_empty:
        return
    changed = out.copy()
    within_px = max(stack.reach_px(scene.level) for stack in layer.children)
    inside = rect.grown(within_px).intersect(below.rect)
    for part, patch in _parts(layer, scene, below, inside).items():
        if not layer.stack(part).is_shown:
            continue
        edited = scene.paint((layer.stack(part),), scene, patch.part, rect)
        # By what was changed: where nothing was, the picture stays as it is, to the last bit.
        edited -= patch.part(rect)
        edited[..., 3] = 0
        changed += edited
    lay_changed(layer, scene, out, changed, rect)


def base_in(layer: SplitLayer, inner: Layer, scene: Scene, below: Base) -> Base:
    """One part of what lies below a split, without its layers: what the stack is given."""
    assert isinstance(inner, StackLayer)
    part = inner.part
    reach_px = gaussian_reach_px(layer.parameters.sigma_px / 2**scene.level)

    def of(rect: Rect) -> FloatImage:
        wide = rect.grown(reach_px).intersect(scene.picture)
        if wide.empty:
            return below(rect)
        inside = rect.intersect(wide)
        return _parts(layer, scene, Patch(wide, below(wide)), inside)[part].part(rect)

    return of


def _parts(layer: SplitLayer, scene: Scene, below: Patch, inside: Rect) -> dict[Part, Patch]:
    from lather.core.tone.split import split  # OpenCV is not loaded for the first window

    sigma_px = layer.parameters.sigma_px / 2**scene.level
    tone, texture = split(np.ascontiguousarray(below.pixels), below.rect, sigma_px, inside)
    return {Part.TONE: Patch(inside, tone), Part.TEXTURE: Patch(inside, texture)}
