"""Advised ranges for the brush, each with its reason: the bands on the rulers.

Where nothing has been measured yet the ranges come from practice and say so.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from lather.core.survey.findings.advice import advice_for
from lather.core.survey.findings.finding import Finding
from lather.document.scale import px_per_mm
from lather.document.state import JobState

if TYPE_CHECKING:
    from lather.core.shape.features import Feature

SPOT_DIAMETERS_MM = (1.5, 5.0)


@dataclass(frozen=True)
class Advice:
    """A range of values, in the unit of the control, and why."""

    low: float
    high: float
    reason: str


def brush_advice(
    tool_id: str, state: JobState | None, finding: Finding | None = None,
    feature: Feature | None = None,
) -> dict[str, Advice]:  # fmt: skip
    """Advice per brush attribute (size_px; hardness, opacity and flow in per cent).

    `finding` is the one looked at, `feature` the one that the brush is over, if any.
    """
    advice = {"spacing": _SPACING, **_FROM_PRACTICE.get(tool_id, {})}
    if tool_id in SHAPED:
        del advice["spacing"]  # it follows the rim: see `core/shape/moves.py`
        if state is not None:
            advice["size_px"] = _for_shape(tool_id, state, feature)
    if tool_id != "mend_spot" or state is None:
        return advice
    if finding is not None and finding.kind.is_blemish and finding.stands_free:
        return {**advice, **_for_finding(finding)}
    return {**advice, "size_px": _for_spots(state)}


def _for_shape(tool_id: str, state: JobState, feature: Feature | None) -> Advice:
    from lather.tools.starts import advised_size_px, face_width_px

    low, high = advised_size_px(tool_id, state, feature)
    if feature is not None:
        return Advice(low, high, f"{low}-{high} px: what moves with '{feature.title}' is "
                      f"{2 * feature.radius_mm:.0f} mm wide.")  # fmt: skip
    width_px = round(face_width_px(state))
    what = "a cheek or a jaw" if tool_id == "push" else "an eye, a nose, a lip"
    measured = "" if state.findings.faces else " Estimated, not measured."
    return Advice(low, high, f"{low}-{high} px: {what} of a face that is {width_px} px wide."
                  f"{measured}")  # fmt: skip


def _for_finding(finding: Finding) -> dict[str, Advice]:
    brush = advice_for(finding)
    assert brush is not None
    mark_px, whole_px = round(2 * finding.radius_px), round(2 * finding.reach_px)
    low, high = round(0.85 * brush.size_px), round(1.3 * brush.size_px)
    hard = round(100 * brush.hardness)
    return {
        "size_px": Advice(
            low,
            high,
            f"{low}-{high} px: this one is {mark_px} px wide, {whole_px} px with its surround.",
        ),
        "hardness": Advice(
            hard - 10, hard + 20,
            f"{hard - 10}-{hard + 20} %: "
            + ("a red mark ends softly." if hard < 40 else "the rim melts in and is covered."),
        ),
    }  # fmt: skip


def _for_spots(state: JobState) -> Advice:
    mm_per_px = state.findings.mm_per_px
    low, high = (math.ceil(mm * px_per_mm(state)) for mm in SPOT_DIAMETERS_MM)
    source = (
        "if a face fills about half of the picture's width. Estimated from the picture's size, "
        "not measured."
        if mm_per_px is None
        else f"at the surveyed {mm_per_px:.3f} mm per pixel."
    )
    return Advice(low, high, f"{low}-{high} px: spots of 1-4 mm with a margin, {source}")


_SPACING = Advice(8, 25, "8-25 % of the size: closer dabs lay down more, wider ones show.")

_GIVE = Advice(30, 60, "30-60 %: half of the pen's way; another stroke goes further.")
_SPEED = Advice(1, 5, "1-5 mm/s: slow enough to stop in time.")
_SOFT_RIM = Advice(0, 30, "0-30 %: what lies around follows softly.")
SHAPED = ("push", "gather", "swell", "turn", "turn_back", "ease_back", "calm", "hold", "let_go")

_FROM_PRACTICE: dict[str, dict[str, Advice]] = {
    "mend_spot": {
        "hardness": Advice(40, 70, "40-70 %: the rim melts in, the spot is still covered."),
        "opacity": Advice(95, 100, "100 %: a half-covered spot shows through."),
        "flow": Advice(70, 100, "70-100 %: one click covers the spot."),
    },
    "mend_from_source": {
        "hardness": Advice(40, 70, "40-70 %: the rim melts in, the spot is still covered."),
        "opacity": Advice(95, 100, "100 %: a half-covered spot shows through."),
    },
    "copy_from_source": {
        "hardness": Advice(0, 50, "0-50 %: no rim shows where the copy ends."),
        "opacity": Advice(10, 30, "10-30 %: near edges and under eyes build up in strokes."),
        "flow": Advice(60, 100, "60-100 %: opacity limits the stroke, not flow."),
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
    "push": {"hardness": _SOFT_RIM, "flow": _GIVE},
    **{
        name: {"hardness": _SOFT_RIM, "speed_mm_s": _SPEED}
        for name in ("gather", "swell", "turn", "turn_back", "ease_back", "calm")
    },
    "paint_back": {
        "hardness": Advice(0, 40, "0-40 %: the original fades in."),
        "flow": Advice(20, 40, "20-40 %: bring back bit by bit."),
    },
}
