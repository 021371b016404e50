"""Lighten and Darken: paint more and less light on a light and shade layer."""

from __future__ import annotations

from lather.document import edits
from lather.document.layers.light import LightLayer
from lather.document.state import JobState
from lather.tools.base import Hand, Work
from lather.tools.brush import MaskWork, light_work


def begin_lighten(state: JobState, hand: Hand) -> Work:
    if hand.on_mask:
        return MaskWork(state, target=1.0, name="Show through mask")
    return light_work(_with_light_layer(state), hand, 1.0, "Lighten")


def begin_darken(state: JobState, hand: Hand) -> Work:
    if hand.on_mask:
        return MaskWork(state, target=0.0, name="Hide by mask")
    return light_work(_with_light_layer(state), hand, 0.0, "Darken")


def _with_light_layer(state: JobState) -> JobState:
    """The state itself, or with a light and shade layer above the active one."""
    if isinstance(state.active, LightLayer):
        return state
    return edits.add_computed(state, LightLayer)
