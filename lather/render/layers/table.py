"""How each kind of layer is rendered."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.light import LightLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.smooth import SmoothLayer
from lather.document.layers.split import SplitLayer, StackLayer
from lather.document.layers.unknown import UnknownLayer
from lather.render.layers import curves, group, light, photo, pixels, smooth, split, stack, unknown
from lather.render.layers.scene import Patch, Scene

# Lays a shown layer on `out`, the pixels of a rectangle, in place. `below` is what lies below, the
# rectangle grown by the layer's reach as far as the picture goes.
Add = Callable[[Any, Scene, FloatImage, Rect, Patch], None]

ADD: dict[type[Layer], Add] = {
    PhotoLayer: photo.add,
    PixelLayer: pixels.add,
    GroupLayer: group.add,
    CurvesLayer: curves.add,
    SmoothLayer: smooth.add,
    SplitLayer: split.add,
    StackLayer: stack.add,
    LightLayer: light.add,
    UnknownLayer: unknown.add,
}
