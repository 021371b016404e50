"""The card of each kind of layer with parameters."""

from __future__ import annotations

from collections.abc import Callable

from lather.actions.workbench import Workbench
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.layers.blur import BlurLayer
from lather.document.layers.brightness import BrightnessLayer
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.grain import GrainLayer
from lather.document.layers.hues import HuesLayer
from lather.document.layers.inks import InksLayer
from lather.document.layers.light import LightLayer
from lather.document.layers.mono import MonoLayer
from lather.document.layers.radial import RadialLayer
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.sharpen import SharpenLayer
from lather.document.layers.smooth import SmoothLayer
from lather.document.layers.soften import SoftenLayer
from lather.document.layers.split import SplitLayer
from lather.document.layers.sweep import SweepLayer
from lather.render.worker import Executor
from lather.ui.layers.cards import (
    area_colour,
    blood_pigment,
    blur,
    brightness,
    curves,
    exposure,
    grain,
    hues,
    inks,
    light,
    mono,
    radial,
    reshape,
    sharpen,
    smooth,
    soften,
    split,
    sweep,
)
from lather.ui.layers.cards.rows import Card

CARDS: dict[type[ComputedLayer], Callable[[Workbench, Executor], Card]] = {
    CurvesLayer: curves.make,
    SmoothLayer: smooth.make,
    SplitLayer: split.make,
    LightLayer: light.make,
    BrightnessLayer: brightness.make,
    ExposureLayer: exposure.make,
    HuesLayer: hues.make,
    InksLayer: inks.make,
    MonoLayer: mono.make,
    RadialLayer: radial.make,
    AreaColourLayer: area_colour.make,
    BloodPigmentLayer: blood_pigment.make,
    SoftenLayer: soften.make,
    BlurLayer: blur.make,
    SharpenLayer: sharpen.make,
    GrainLayer: grain.make,
    SweepLayer: sweep.make,
    ReshapeLayer: reshape.make,
}
