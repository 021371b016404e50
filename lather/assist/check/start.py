"""What a retouch is compared with: the photo, with what was done to the picture as a whole."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np

from lather.core.survey.regions.region import Region
from lather.core.tone.skin_picture import SURE_SKIN
from lather.document.agreed.briefing import acts_on_a_part
from lather.document.layers.exposure import ExposureLayer, ExposureParameters
from lather.document.layers.layer import Layer, new_id
from lather.document.layers.mono import MonoLayer
from lather.document.state import JobState
from lather.render.compositor import deepest_level
from lather.render.ground import photo_ground
from lather.render.measured import render_measured
from lather.render.regions import region_coverage

WHOLE_PICTURE = (ExposureLayer, MonoLayer)
LOOKED_AT_PX = 300  # long side, at which it is told what all of a picture went through


def start_of(state: JobState, flat: JobState) -> JobState:
    """The photo, with what lights the picture as a whole or takes its colour: nobody is retouched
    by that, be it done by a layer or by what is painted. In a picture for a document colour stays.

    `flat` is the state without what moves skin.
    """
    is_document = state.brief.style.forbids_retouching
    kinds = (ExposureLayer,) if is_document else WHOLE_PICTURE
    lights = tuple(layer for layer in state.layers if isinstance(layer, kinds)
                   and layer.is_shown and not acts_on_a_part(layer))  # fmt: skip
    photo = state.as_photographed
    start = replace(photo, layers=(*photo.layers, *lights))
    if is_document or len(state.layers) == 1 + len(lights):
        return start
    return replace(start, layers=(*start.layers, *_painted(start, flat)))


def _painted(start: JobState, flat: JobState) -> tuple[Layer, ...]:
    """What the pixels say was done to all of the picture, as layers that do it."""
    from lather.core.check.whole import whole_change

    level = deepest_level(start.photo, LOOKED_AT_PX)
    rect = start.photo.rect.at_level(level)
    was, is_now = (render_measured(state, rect, level) for state in (start, flat))
    skin = region_coverage(photo_ground(start), Region.SKIN, rect, level)
    found = whole_change(was, is_now, np.asarray(skin > SURE_SKIN))
    return _layers(found.exposure_ev, is_grey=found.is_grey)


@lru_cache(maxsize=4)
def _layers(exposure_ev: float, *, is_grey: bool) -> tuple[Layer, ...]:
    """The same layers for the same change: a start is told by what it is made of."""
    layers: list[Layer] = []
    if exposure_ev:
        parameters = ExposureParameters(exposure_ev=exposure_ev)
        layers.append(ExposureLayer(id=new_id(), name="Exposure", parameters=parameters))
    if is_grey:
        layers.append(MonoLayer(id=new_id(), name="Black and white"))
    return tuple(layers)
