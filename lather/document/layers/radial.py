"""Radial light: an ellipse with other light inside, or outside."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.adjust.ellipse import INSIDE, OUTSIDE
from lather.document.layers.computed import ComputedLayer, Portrait
from lather.document.layers.lamp import LampParameters
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import choice, number


@dataclass(frozen=True)
class RadialParameters(LampParameters):
    centre_x_px: float = number(
        0.0, title="Centre, across", unit="px", low=-100000.0, high=200000.0,
        help="From the left border of the picture; may lie beyond it.",
    )  # fmt: skip
    centre_y_px: float = number(
        0.0, title="Centre, down", unit="px", low=-100000.0, high=200000.0,
        help="From the upper border of the picture; may lie beyond it.",
    )  # fmt: skip
    radius_x_px: float = number(
        400.0, title="Half width", unit="px", low=1.0, high=200000.0,
        help="Of the ellipse, before it is turned.",
    )  # fmt: skip
    radius_y_px: float = number(
        400.0, title="Half height", unit="px", low=1.0, high=200000.0,
        help="Of the ellipse, before it is turned.",
    )  # fmt: skip
    angle_deg: float = number(
        0.0, title="Turned", unit="°", low=-90.0, high=90.0,
        help="Clockwise.",
    )  # fmt: skip
    softness_percent: float = number(
        50.0, title="Softness", unit="%", low=0.0, high=100.0,
        help="Of the radius, over which the rim fades.",
    )  # fmt: skip
    side: str = choice(
        INSIDE, title="Side", options=(INSIDE, OUTSIDE),
        help="Where the light changes.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class RadialLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Other light inside or outside of an ellipse that is dragged on the picture."""

    KIND = "radial"
    NOUN = "a radial light"
    TAKES = RadialParameters
    TITLE = "Radial light"
    HELP = "Other light inside or outside of an ellipse that is dragged on the picture."

    parameters: RadialParameters = field(default_factory=RadialParameters)

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:
        """In the middle of the picture, a little lighter, so that it is seen where it lies."""
        width, height = portrait.picture.width, portrait.picture.height
        return {
            "centre_x_px": width / 2, "centre_y_px": height / 2, "exposure_ev": 0.3,
            "radius_x_px": max(width * 0.3, 1.0), "radius_y_px": max(height * 0.3, 1.0),
        }  # fmt: skip
