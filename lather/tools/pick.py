"""Pick from picture: a colour for the layer in work or its mask; the ellipse of a radial light."""

from __future__ import annotations

import math

from lather.assist.masks import of_colours, with_mask
from lather.assist.picking import Picked, apply_pick, picked_from
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.document import edits
from lather.document.access import refuse_unless_changeable
from lather.document.layers.radial import RadialLayer
from lather.document.state import JobState
from lather.render.compositor import render_below
from lather.tools.base import CoveredWork, Hand, Outcome, Work

LEAST_RADIUS_PX = 4.0


def begin_pick(state: JobState, hand: Hand) -> Work:
    refuse_unless_changeable(state, state.active_id)
    if not hand.on_mask and isinstance(state.active, RadialLayer):
        return EllipseWork(state)
    return PickWork(state, hand)


class PickWork(CoveredWork):
    """The colours that the brush goes over."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state)
        self._hand = hand

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:  # noqa: ARG002
        rect = self._coverage.rect
        if rect.empty:
            return None
        state, layer_id, curve = self._state, self._state.active_id, self._hand.curve
        picked = picked_from(render_below(state, layer_id, rect), self._coverage.read(rect))
        if self._hand.on_mask:
            return self._mask_of(picked)
        apply_pick(state, layer_id, picked, curve)  # whatever is wrong with it is said now
        return Outcome("Pick from picture", lambda now: apply_pick(now, layer_id, picked, curve))

    def _mask_of(self, picked: Picked) -> Outcome:
        state, layer_id = self._state, self._state.active_id
        share = of_colours(state, layer_id, picked.lab, picked.spread)
        made = edits.mask_of(with_mask(state, layer_id, share), layer_id)
        return Outcome("Mask from colours", lambda now: edits.set_mask(now, layer_id, made))


class EllipseWork(Work):
    """From the middle of a radial light out to its rim; the picture follows."""

    def __init__(self, state: JobState) -> None:
        self._state = state
        self._ends: list[tuple[float, float]] = []

    def add(self, dabs: Dabs) -> Rect:
        points = [(float(x), float(y)) for x, y in dabs[:, :2]]
        self._ends = [(self._ends or points)[0], points[-1]]
        return self._state.photo.rect

    def preview(self) -> JobState:
        if not self._ends:
            return self._state
        return _with_ellipse(self._state, self._state.active_id, *self._ends)

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if not samples:
            return None
        layer_id = self._state.active_id
        start, end = ((s.x, s.y) for s in (samples[0], samples[-1]))
        return Outcome("Radial light", lambda now: _with_ellipse(now, layer_id, start, end))


def _with_ellipse(
    state: JobState, layer_id: int, centre: tuple[float, float], corner: tuple[float, float]
) -> JobState:
    """An ellipse about a centre that goes through the corner of the box around a drag; a press
    without a drag moves it as it is."""
    values = {"centre_x_px": centre[0], "centre_y_px": centre[1]}
    across, down = abs(corner[0] - centre[0]), abs(corner[1] - centre[1])
    if math.hypot(across, down) >= LEAST_RADIUS_PX:
        values |= {"radius_x_px": max(across, LEAST_RADIUS_PX), "angle_deg": 0.0,
                   "radius_y_px": max(down, LEAST_RADIUS_PX)}  # fmt: skip
    for name, value in values.items():
        state = edits.set_parameter(state, layer_id, name, value)
    return state
