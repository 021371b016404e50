"""How each kind of layer is rendered."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.layers.blur import BlurLayer
from lather.document.layers.brightness import BrightnessLayer
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
from lather.document.layers.unknown import UnknownLayer
from lather.render.layers import (
    area_colour,
    blood_pigment,
    blur,
    brightness,
    curves,
    exposure,
    grain,
    group,
    hues,
    inks,
    light,
    mono,
    photo,
    pixels,
    radial,
    reshape,
    sharpen,
    smooth,
    soften,
    split,
    stack,
    sweep,
    unknown,
)
from lather.render.layers.scene import Base, Patch, Scene

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
    BrightnessLayer: brightness.add,
    ExposureLayer: exposure.add,
    HuesLayer: hues.add,
    InksLayer: inks.add,
    MonoLayer: mono.add,
    RadialLayer: radial.add,
    AreaColourLayer: area_colour.add,
    BloodPigmentLayer: blood_pigment.add,
    SoftenLayer: soften.add,
    BlurLayer: blur.add,
    SharpenLayer: sharpen.add,
    GrainLayer: grain.add,
    SweepLayer: sweep.add,
    ReshapeLayer: reshape.add,
    StackLayer: stack.add,
    LightLayer: light.add,
    UnknownLayer: unknown.add,
}

# What the lowest layer in one that holds layers lies on: of the layer, the one in it, the scene
# below, and what the layer itself lies on.
BaseIn = Callable[[Any, Layer, Scene, Base], Base]

BASE_IN: dict[type[Layer], BaseIn] = {
    GroupLayer: group.base_in,
    SplitLayer: split.base_in,
    StackLayer: stack.base_in,
}
