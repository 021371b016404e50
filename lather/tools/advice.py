"""Advised ranges for the brush, each with its reason: the bands on the rulers.

Where nothing has been measured yet the ranges come from practice and say so.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from lather.document.photo import Photo

FACE_SHARE_OF_SHORT_SIDE = 0.55  # of a head-and-shoulders portrait
FACE_WIDTH_MM = 140.0
SPOT_DIAMETERS_MM = (1.5, 5.0)


@dataclass(frozen=True)
class Advice:
    """A range of values, in the unit of the control, and why."""

    low: float
    high: float
    reason: str


def pixels_per_mm(photo: Photo) -> float:
    """A rough scale from the picture's size alone; a survey would measure it."""
    return FACE_SHARE_OF_SHORT_SIDE * min(photo.width, photo.height) / FACE_WIDTH_MM


def brush_advice(tool_id: str, photo: Photo | None) -> dict[str, Advice]:
    """Advice per brush attribute (size_px; hardness, opacity and flow in per cent)."""
    advice = {"spacing": _SPACING, **_FROM_PRACTICE.get(tool_id, {})}
    if photo is not None and tool_id == "mend_spot":
        scale = pixels_per_mm(photo)
        low, high = (math.ceil(mm * scale) for mm in SPOT_DIAMETERS_MM)
        advice["size_px"] = Advice(
            low,
            high,
            f"{low}-{high} px: spots of 1-4 mm with a margin, if a face fills about half of "
            "the picture's width. Estimated from the picture's size, not measured.",
        )
    return advice


_SPACING = Advice(8, 25, "8-25 % of the size: closer dabs lay down more, wider ones show.")

_FROM_PRACTICE: dict[str, dict[str, Advice]] = {
    "mend_spot": {
        "hardness": Advice(40, 70, "40-70 %: the rim melts in, the spot is still covered."),
        "opacity": Advice(95, 100, "100 %: a half-covered spot shows through."),
        "flow": Advice(70, 100, "70-100 %: one click covers the spot."),
    },
    "paint_colour": {
        "hardness": Advice(0, 20, "0-20 %: no rim shows on skin."),
        "opacity": Advice(10, 30, "10-30 %: build up in several strokes."),
        "flow": Advice(10, 30, "10-30 %: the pen's pressure decides the rest."),
    },
    "erase": {
        "hardness": Advice(0, 40, "0-40 %: the layer fades out instead of ending."),
        "flow": Advice(20, 40, "20-40 %: take away bit by bit."),
    },
    "paint_back": {
        "hardness": Advice(0, 40, "0-40 %: the original fades in."),
        "flow": Advice(20, 40, "20-40 %: bring back bit by bit."),
    },
}
