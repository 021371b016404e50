"""The kinds of layers, by their names in files. A new kind is a new file, and a row here."""

from __future__ import annotations

from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.layers.blur import BlurLayer
from lather.document.layers.brightness import BrightnessLayer
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.grain import GrainLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.hues import HuesLayer
from lather.document.layers.inks import InksLayer
from lather.document.layers.layer import Layer
from lather.document.layers.light import LightLayer
from lather.document.layers.mono import MonoLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.radial import RadialLayer
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.sharpen import SharpenLayer
from lather.document.layers.smooth import SmoothLayer
from lather.document.layers.soften import SoftenLayer
from lather.document.layers.split import SplitLayer, StackLayer
from lather.document.layers.sweep import SweepLayer

_KINDS: tuple[type[Layer], ...] = (
    PhotoLayer, PixelLayer, GroupLayer, SplitLayer, StackLayer, LightLayer,
    CurvesLayer, BrightnessLayer, ExposureLayer, HuesLayer, InksLayer, MonoLayer, RadialLayer,
    AreaColourLayer, BloodPigmentLayer,
    SmoothLayer, SoftenLayer, BlurLayer, SharpenLayer, GrainLayer, SweepLayer,
    ReshapeLayer,
)  # fmt: skip

KINDS: dict[str, type[Layer]] = {kind.KIND: kind for kind in _KINDS}
COMPUTED = tuple(kind for kind in _KINDS if issubclass(kind, ComputedLayer))
