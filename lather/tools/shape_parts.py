"""Reshaping by measure: a feature by its handle, an area by its edge, a line made straight."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from lather.assist.shape.face_features import FeatureNow, feature_now
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.core.shape.area_warp import LEAST_FADE, area_shift
from lather.core.shape.features import FEATURES, Placed, feature_rect, feature_shift
from lather.core.shape.field import Nodes, node_rect, nodes_under, pixels_around
from lather.core.shape.guard import Guard
from lather.core.shape.straighten import BentLine, band_rect, find_line, straight_shift
from lather.document.layers.reshape import ReshapeLayer
from lather.document.painting.live_field import LiveField
from lather.document.people import person_at, px_per_mm_of
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.errors import EditError
from lather.render.compositor import render_below, render_up_to
from lather.tools.base import Hand, Outcome, Work
from lather.tools.shape import HOLD_STEPS, FieldWork, area_limit, guard_of

GRASP_MM = 12.0  # how near to a handle the pen has to go down
GUARD_FREE_STEPS = 16
NOTHING = Rect(0, 0, 0, 0)
CLEAR_BEND_PX = 0.3
_BY_ID = {feature.id: feature for feature in FEATURES}


class ShiftWork(FieldWork):
    """One shift of the field, worked out anew from the stroke's start as the pen drags."""

    def __init__(self, state: JobState, hand: Hand, name: str) -> None:
        super().__init__(state, hand, name)
        self._down: tuple[float, float] | None = None
        self._at = (0.0, 0.0)
        self._shown = NOTHING
        self._guard: Guard | None = None

    def add(self, dabs: Dabs) -> Rect:
        if self._down is None:
            self._down = float(dabs[0, 0]), float(dabs[0, 1])
            self._take_hold(*self._down)
        self._at = float(dabs[-1, 0]), float(dabs[-1, 1])
        return self._drag()

    def _take_hold(self, x: float, y: float) -> None:
        """The pen goes down."""

    def _shift(self) -> tuple[Rect, Nodes] | None:
        """The nodes of a rectangle, and how far they go, px; None if nothing does."""
        raise NotImplementedError

    def _drag(self) -> Rect:
        self._live = LiveField(self._layer, self._state.photo.rect, area_limit(self._state))
        before, self._shown = self._shown, self._repeat(self._live)
        return before.union(self._shown).intersect(self._state.photo.rect)

    def _lines(self) -> Guard:
        if self._guard is None:
            step = self._layer.step_px
            guard = guard_of(self._state, self._layer, self._hand)
            self._guard = replace(
                guard, hold_px=float(HOLD_STEPS * step), free_px=float(GUARD_FREE_STEPS * step)
            )
        return self._guard

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if samples and self._down is not None:
            self._at = samples[-1].x, samples[-1].y
            self._drag()
        if self._live.rect.empty:
            return None
        return self._outcome(samples, self._live.layer)

    def _repeat(self, live: LiveField) -> Rect:
        found = self._shift()
        if found is None:
            return NOTHING
        at, shift = found
        inside = at.intersect(node_rect(self._state.photo.rect, live.layer.step_px))
        part = np.ascontiguousarray(shift[inside.shifted(-at.x0, -at.y0).slices])
        live.shift(inside, part, self._lines())
        return pixels_around(inside, live.layer.step_px)


class FeatureWork(ShiftWork):
    """A feature of the face, dragged along its way by a handle."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state, hand, "Feature")
        self._now: FeatureNow | None = None
        self._strand: Placed | None = None

    def _take_hold(self, x: float, y: float) -> None:
        person = person_at(self._state.findings, x, y)
        per_mm = px_per_mm_of(self._state.findings, person, self._state.photo)
        nearest, grasp = math.inf, GRASP_MM * per_mm
        for feature in FEATURES:
            now = feature_now(self._state, feature, person, self._layer.id)
            for strand in now.strands if now is not None else ():
                if not strand.grip:
                    continue
                away = math.dist(strand.handle, (x, y))
                if away < min(nearest, grasp):
                    nearest, self._now, self._strand = away, now, strand
        if self._now is not None:
            self._name = self._now.feature.title

    def _shift(self) -> tuple[Rect, Nodes] | None:
        if self._now is None or self._strand is None or self._down is None:
            return None
        dragged = np.array([self._at[0] - self._down[0], self._at[1] - self._down[1]])
        way = self._strand.way
        by_px = float(dragged @ way / max(float(way @ way), 1e-9))
        sides = None if self._hand.shape.mirrored or self._strand.side == 0 else self._strand.side
        return shift_of(self._state, self._layer, self._now, by_px, only_side=sides)

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if samples and self._now is None:
            raise EditError(
                "Nothing was moved", "there is no handle of a feature there",
                "take hold of one of the dots; without a surveyed face there are none",
            )  # fmt: skip
        return super().finish(samples)

    def _extras(self) -> dict[str, Any]:
        return {**super()._extras(), "feature": self._now.feature.id if self._now else ""}


def shift_of(
    state: JobState, layer: ReshapeLayer, now: FeatureNow, by_px: float,
    *, only_side: int | None = None,
) -> tuple[Rect, Nodes] | None:
    """The shift of a feature by so many px in the plane of the face, within the brief's limit."""
    per_mm = px_per_mm(state)
    lowest, highest = (sign * now.most_mm - now.moved_mm for sign in (-1, 1))
    by_px = min(max(by_px, min(lowest, 0.0) * per_mm), max(highest, 0.0) * per_mm)
    if by_px == 0:
        return None
    strands = [strand for strand in now.strands if only_side in (None, strand.side, 0)]
    # As it will lie: then the strand itself goes all the way.
    moved = [replace(strand, points=strand.points + by_px * strand.way) for strand in strands]
    rect = feature_rect(moved, now.radius_px * 1.2, state.photo.rect)
    at, share = feature_shift(moved, now.plane, now.radius_px, rect, layer.step_px)
    return at, (share * np.float32(by_px)).astype(np.float32)


class AreaWork(ShiftWork):
    """The area, moved or stretched by where the pen takes hold of it."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state, hand, "Warp area")
        if state.area is None:
            raise EditError(
                "Nothing was moved", "there is no area to take hold of",
                "grow or outline one first: a tooth, a collar, a lock",
            )  # fmt: skip
        self._tiles = state.area
        # Around the area all may give way: it limits nothing here.
        self._state = replace(self._state, area=None)
        self._area = area_limit(replace(self._state, area=state.area))

    def _shift(self) -> tuple[Rect, Nodes] | None:
        from lather.document.areas import bounds_of

        assert self._area is not None and self._down is not None
        by = self._at[0] - self._down[0], self._at[1] - self._down[1]
        if by == (0.0, 0.0):
            return None
        step, picture = self._layer.step_px, self._state.photo.rect
        bounds = bounds_of(self._tiles, picture)
        if bounds.empty:
            return None
        size = math.sqrt(bounds.area)
        margin = math.ceil(max(3 * math.hypot(*by), LEAST_FADE * size) + self._layer.reach_px(0))
        at = nodes_under(bounds.grown(margin).intersect(picture), step)
        coverage = self._area(self._layer, at)
        grasped = self._down[0] / step - at.x0, self._down[1] / step - at.y0
        shift = area_shift(coverage, step, grasped, by)
        return at, _fading_at_rim(shift, at, picture, step)


def _fading_at_rim(shift: Nodes, at: Rect, picture: Rect, step_px: int) -> Nodes:
    """To nothing at the rim of the rectangle, where that is not the picture's border."""
    rows, columns = shift.shape[:2]
    fade = 8
    whole = node_rect(picture, step_px)
    along = [np.ones(n, dtype=np.float32) for n in (rows, columns)]
    for line, low, high in ((along[0], at.y0 > whole.y0, at.y1 < whole.y1),
                            (along[1], at.x0 > whole.x0, at.x1 < whole.x1)):  # fmt: skip
        ramp = np.linspace(0, 1, fade, dtype=np.float32)
        if low:
            line[:fade] *= ramp[: len(line)]
        if high:
            line[-fade:] *= ramp[::-1][-len(line) :]
    return shift * along[0][:, None, None] * along[1][None, :, None]


class StraightenWork(ShiftWork):
    """A line that should be straight, drawn along from end to end."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state, hand, "Straighten")
        self._line: BentLine | None = None

    def add(self, dabs: Dabs) -> Rect:
        if self._down is None:
            self._down = float(dabs[0, 0]), float(dabs[0, 1])
        self._at = float(dabs[-1, 0]), float(dabs[-1, 1])
        return NOTHING

    def outlines(self) -> bool:
        return True

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if not samples or self._down is None:
            return None
        start, end = (np.array([s.x, s.y]) for s in (samples[0], samples[-1]))
        if float(np.linalg.norm(end - start)) < 4 * self._layer.step_px:
            raise EditError("Nothing was moved", "the pen did not go anywhere",
                            "draw along the line from end to end")  # fmt: skip
        self._at = float(end[0]), float(end[1])
        rect = band_rect(start, end)
        seen = render_up_to(self._state, self._layer.id, rect) if self._is_there() else (
            render_below(self._state, self._layer.id, rect))  # fmt: skip
        self._line = find_line(seen, rect, start, end)
        if not self._line.clear:
            raise EditError(
                "Nothing was moved", "no line was found along the stroke",
                "draw along an edge, from where it should begin to where it should end",
            )  # fmt: skip
        if self._line.bend_px < CLEAR_BEND_PX:
            raise EditError("Nothing was moved", "that line is straight already")
        self._guard = Guard()  # the line may be one of those that are kept
        self._drag()
        if self._live.rect.empty:
            return None
        return self._outcome(samples, self._live.layer)

    def _is_there(self) -> bool:
        return self._layer.moves

    def _shift(self) -> tuple[Rect, Nodes] | None:
        if self._line is None:
            return None
        return straight_shift(self._line, self._layer.step_px, self._state.photo.rect)


def begin_feature(state: JobState, hand: Hand) -> Work:
    return FeatureWork(state, hand)


def begin_warp_area(state: JobState, hand: Hand) -> Work:
    return AreaWork(state, hand)


def begin_straighten(state: JobState, hand: Hand) -> Work:
    return StraightenWork(state, hand)
