"""The kinds of layers, by their names in files. A new kind is a new file, and a row here."""

from __future__ import annotations

from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.light import LightLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.smooth import SmoothLayer
from lather.document.layers.split import SplitLayer, StackLayer

_KINDS: tuple[type[Layer], ...] = (
    PhotoLayer, PixelLayer, GroupLayer, CurvesLayer, SmoothLayer, SplitLayer, StackLayer,
    LightLayer,
)  # fmt: skip

KINDS: dict[str, type[Layer]] = {kind.KIND: kind for kind in _KINDS}
COMPUTED = tuple(kind for kind in _KINDS if issubclass(kind, ComputedLayer))
