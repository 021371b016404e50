"""Push and its kin: strokes on the field of a reshape layer."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import asdict, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np

from lather.assist.shape.face_features import mesh_of
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import SLICE_S, PenSample
from lather.core.rect import Rect
from lather.core.shape.field import Field, interpolated, stretches
from lather.core.shape.guard import Guard
from lather.core.shape.head import face_width_px
from lather.core.shape.lines import StraightLines, bends
from lather.core.shape.mirror import Mirror
from lather.core.shape.moves import Dab, Move
from lather.document.access import refuse_unless_changeable
from lather.document.layers.reshape import ReshapeLayer
from lather.document.painting.live_field import Limit, LiveField, Made
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.people import person_at, px_per_mm_of
from lather.document.reshapes import reshape_to_work_on
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.document.tree import find, replaced
from lather.errors import EditError
from lather.render.reshaping import prepare_places
from lather.render.space import area_at_nodes, layer_space
from lather.render.visibility import refuse_unless_seen
from lather.tools.base import Hand, Outcome, ShapeReading, Work

HOLD_STEPS = 5  # of the grid: how far around a straight line nothing goes across it
LEAST_MIDDLE_PX, TOLD_BEND_PX = 20.0, 0.1
COARSELY = 4  # nodes: how finely stretch is told beside the pen
FREE_SHARE = 0.15  # of the brush's radius more: where anything does


class FieldWork(Work):
    """What works on the field of a reshape layer; a new one on top, if none is there."""

    MOVES_NOW: ClassVar[bool] = True  # else what it does shows only in what comes later

    def __init__(self, state: JobState, hand: Hand, name: str) -> None:
        self._state, self._layer = reshape_to_work_on(state)
        self._hand = hand
        self._name = name
        self._live = LiveField(self._layer, state.photo.rect, area_limit(self._state))

    def moves_pixels(self) -> bool:
        return True

    def preview(self) -> JobState:
        return with_layer(self._state, self._live.layer)

    def _outcome(self, samples: tuple[PenSample, ...], layer: ReshapeLayer) -> Outcome:
        record = StrokeRecord(
            tool=self._hand.tool, brush=self._hand.brush, readings=readings_of(samples),
            rect=self._live.rect, extras=self._extras(),
        )  # fmt: skip
        if self.MOVES_NOW:
            refuse_unless_seen(with_layer(self._state, layer), layer.id, self._live.rect)
        done = layer.with_painted(layer.planes, (*layer.strokes, record))
        prepare_places(done, self._state.photo.rect)  # marks are looked for at once
        return Outcome(self._name, lambda now: self._applied(now, done, record))

    def _extras(self) -> dict[str, Any]:
        return {"shape": asdict(self._hand.shape)}

    def _applied(self, now: JobState, done: ReshapeLayer, record: StrokeRecord) -> JobState:
        """Into the state of now; what happened to the layer meanwhile stays below the stroke."""
        current = find(now.layers, self._layer.id)
        if current is None and not self._layer.moves and not self._layer.strokes:
            state, layer = reshape_to_work_on(now)
            if layer.id in {one.id for one in now.layers}:  # one has come meanwhile
                return with_layer(state, self._again(layer, record))
            return with_layer(state, replace(done, id=layer.id))
        if not isinstance(current, ReshapeLayer):
            raise EditError(
                "The last stroke was dropped", f"'{self._layer.name}' was deleted meanwhile",
                "do it again",
            )  # fmt: skip
        refuse_unless_changeable(now, current.id)
        if all(current.planes[name] is tiles for name, tiles in self._layer.planes.items()):
            painted = current.with_painted(done.planes, (*current.strokes, record))
        else:
            painted = self._again(current, record)
        return replace(with_layer(now, painted), active_id=current.id)

    def _again(self, layer: ReshapeLayer, record: StrokeRecord) -> ReshapeLayer:
        live = LiveField(layer, self._state.photo.rect, area_limit(self._state))
        self._repeat(live)
        return live.layer.with_painted(live.layer.planes, (*layer.strokes, record))

    def _repeat(self, live: LiveField) -> Rect:
        """Do the stroke on another state of the layer; the pixels that may have changed."""
        return live.add(self._live.made)


class MoveWork(FieldWork):
    """A stroke of a reshape brush."""

    def __init__(self, state: JobState, hand: Hand, move: Move, name: str) -> None:
        super().__init__(state, hand, name)
        self._move = move
        self._mirror = mirror_of(self._state, self._layer, hand)
        self._guard: Guard | None = None
        self._at: tuple[float, float] | None = None
        self._lines: StraightLines | None = None

    def add(self, dabs: Dabs) -> Rect:
        return self._live.add(self._moves(dabs))

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if self._move is Move.PUSH and samples and self._at is not None:
            last, brush = samples[-1], self._hand.brush  # up to where the pen was lifted
            row = [last.x, last.y, brush.size_px / 2, brush.hardness, brush.flow, 1.0]
            self.add(np.array([row], dtype=np.float32))
        if self._live.rect.empty:
            self._refuse_if_held(samples)
            return None
        return self._outcome(samples, self._live.layer)

    def _moves(self, dabs: Dabs) -> Iterator[Made]:
        for x, y, radius_px, hardness, flow, _ in dabs.tolist():
            for dab in self._steps(x, y, radius_px, hardness, flow):
                yield from self._made(dab)

    def _steps(
        self, x: float, y: float, radius_px: float, hardness: float, flow: float
    ) -> Iterable[Dab]:
        was, self._at = self._at or (x, y), (x, y)
        if self._move is not Move.PUSH:
            by_px = self._hand.shape.speed_mm_s * px_per_mm(self._state) * SLICE_S * flow
            return (Dab(x, y, radius_px, hardness, by_px),)
        whole = Dab.push(was, (x, y), radius_px, hardness, flow)
        return () if whole.by_x == whole.by_y == 0 else whole.steps()

    def _made(self, dab: Dab) -> Iterator[Made]:
        guard = self._guard_for(dab)
        yield Made(self._move, dab, guard)
        if self._mirror is not None:
            yield Made(self._move, mirrored_dab(self._mirror, dab, self._move), guard)

    def _guard_for(self, dab: Dab) -> Guard:
        if self._guard is None:
            self._guard = guard_of(self._state, self._layer, self._hand)
        hold_px = float(HOLD_STEPS * self._layer.step_px)
        return replace(self._guard, hold_px=hold_px,
                       free_px=2 * hold_px + FREE_SHARE * dab.radius_px)  # fmt: skip

    def reading(self) -> ShapeReading | None:
        if self._at is None:
            return None
        layer, at = self._live.layer, np.array([self._at])
        by_mm = float(np.linalg.norm(interpolated(at, layer.step_px, layer.nodes_at)))
        by_mm /= px_per_mm(self._state)
        lines = self._lines_near()
        bent = bends(lines, lambda p: p + interpolated(p, layer.step_px, layer.nodes_at))
        width, limit = self._face_mm
        return ShapeReading(
            by_mm, by_mm / width if width else None, bool(width) and by_mm > limit * width,
            tuple(bend for bend in bent if bend.px >= TOLD_BEND_PX), lines.pieces,
            self._live.stopped, *self._stretch(),
        )  # fmt: skip

    def _stretch(self) -> tuple[float, float]:
        """The most and the least that the skin under the brush is stretched to, coarsely."""
        assert self._at is not None
        under = Rect.around(*self._at, self._hand.brush.size_px / 2).intersect(
            self._state.photo.rect
        )
        nodes = self._layer.samples_rect(under)
        if min(nodes.width, nodes.height) < 2 * COARSELY:
            return 1.0, 1.0
        coarse = self._live.nodes(nodes)[::COARSELY, ::COARSELY]
        size = Rect(0, 0, coarse.shape[1], coarse.shape[0])
        least, most = stretches(Field(coarse, size, COARSELY * self._layer.step_px))
        return float(most.max()), float(least.min())

    def _lines_near(self) -> StraightLines:
        """Those that the brush has come near, whether they are kept straight or not."""
        if self._lines is None:
            from lather.assist.shape.straight_lines import lines_under

            self._lines = lines_under(self._state, self._layer.id)
        assert self._at is not None
        return self._lines.near(*self._at, 0.75 * self._hand.brush.size_px)

    @cached_property
    def _face_mm(self) -> tuple[float, float]:
        """The face's width, 0 without one, and the share of it that the brief allows."""
        person = 0 if self._at is None else person_at(self._state.findings, *self._at)
        mesh = mesh_of(self._state, person)
        per_mm = px_per_mm_of(self._state.findings, person, self._state.photo)
        width = 0.0 if mesh is None else face_width_px(mesh) / per_mm
        return width, self._state.brief.limits.displacement

    def _refuse_if_held(self, samples: tuple[PenSample, ...]) -> None:
        """Say why nothing moved."""
        if not samples:
            return
        first, last = samples[0], samples[-1]
        pushes = self._move is Move.PUSH
        if pushes and math.dist((first.x, first.y), (last.x, last.y)) < 1:
            raise EditError("Nothing was moved", "the pen did not go anywhere", "drag it")
        if not pushes and last.time_s - first.time_s < SLICE_S:
            raise EditError("Nothing was moved", "the pen was lifted at once", "keep it down")
        under = Rect.around(last.x, last.y, self._hand.brush.size_px / 4)
        nodes = self._layer.samples_rect(under.intersect(self._state.photo.rect))
        if nodes.empty or float(self._live.free(nodes).max()) > 0.01:
            if self._live.stopped:
                raise EditError(
                    "Nothing was moved", "the skin there would fold", "ease back or calm it first"
                )
            return
        why = "the area ends there" if self._state.area is not None else "what lies there is held"
        raise EditError("Nothing was moved", why, "clear the hold or the area, or work elsewhere")


class HoldWork(FieldWork):
    """Paints what does not move."""

    MOVES_NOW = False

    def __init__(self, state: JobState, hand: Hand, *, holds: bool) -> None:
        super().__init__(state, hand, "Hold" if holds else "Let go")
        from lather.core.shape.field import node_rect
        from lather.document.painting.painting import LiveStroke, MaskPaint

        self._stroke = LiveStroke(
            self._layer.hold, MaskPaint(1.0 if holds else 0.0),
            node_rect(state.photo.rect, self._layer.step_px),
        )  # fmt: skip

    def add(self, dabs: Dabs) -> Rect:
        """The dabs, in nodes: a node lies at the corner of its pixels."""
        scaled = dabs.copy()
        scaled[:, :2] = dabs[:, :2] / self._layer.step_px + 0.5
        scaled[:, 2] = np.maximum(dabs[:, 2] / self._layer.step_px, 0.5)
        nodes = self._stroke.add(scaled)
        step = self._layer.step_px
        return Rect(nodes.x0 * step, nodes.y0 * step, nodes.x1 * step, nodes.y1 * step)

    def preview(self) -> JobState:
        return with_layer(self._state, replace(self._layer, hold=self._stroke.tiles()))

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if self._stroke.rect.empty:
            return None
        done = replace(self._layer, hold=self._stroke.laid_on(self._layer.hold))
        return self._outcome(samples, done)

    def _again(self, layer: ReshapeLayer, record: StrokeRecord) -> ReshapeLayer:
        held = replace(layer, hold=self._stroke.laid_on(layer.hold))
        return held.with_painted(held.planes, (*layer.strokes, record))


class MiddleLineWork(FieldWork):
    """Draws the line that strokes are mirrored at."""

    MOVES_NOW = False

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state, hand, "Middle line")

    def add(self, dabs: Dabs) -> Rect:  # noqa: ARG002
        return Rect(0, 0, 0, 0)

    def outlines(self) -> bool:
        return True

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if not samples:
            return None
        start, end = samples[0], samples[-1]
        if math.dist((start.x, start.y), (end.x, end.y)) < LEAST_MIDDLE_PX:
            raise EditError("The middle line stays as it was", "that stroke is too short",
                            "draw it from the forehead to the chin")  # fmt: skip
        line = start.x, start.y, end.x, end.y

        def apply(now: JobState) -> JobState:
            state, layer = reshape_to_work_on(now)
            return with_layer(state, replace(layer, middle=line))

        return Outcome(self._name, apply)


def begin_middle_line(state: JobState, hand: Hand) -> Work:
    return MiddleLineWork(state, hand)


def begin_push(state: JobState, hand: Hand) -> Work:
    return MoveWork(state, hand, Move.PUSH, "Push")


def begin_gather(state: JobState, hand: Hand) -> Work:
    return MoveWork(state, hand, Move.GATHER, "Gather")


def begin_swell(state: JobState, hand: Hand) -> Work:
    return MoveWork(state, hand, Move.SWELL, "Swell")


def begin_turn(state: JobState, hand: Hand) -> Work:
    return MoveWork(state, hand, Move.TURN, "Turn")


def begin_turn_back(state: JobState, hand: Hand) -> Work:
    slower = replace(hand.shape, speed_mm_s=-hand.shape.speed_mm_s)
    return MoveWork(state, replace(hand, shape=slower), Move.TURN, "Turn")


def begin_ease_back(state: JobState, hand: Hand) -> Work:
    return MoveWork(state, hand, Move.EASE_BACK, "Ease back")


def begin_calm(state: JobState, hand: Hand) -> Work:
    return MoveWork(state, hand, Move.CALM, "Calm")


def begin_hold(state: JobState, hand: Hand) -> Work:
    return HoldWork(state, hand, holds=True)


def begin_let_go(state: JobState, hand: Hand) -> Work:
    return HoldWork(state, hand, holds=False)


def mirrored_dab(mirror: Mirror, dab: Dab, move: Move) -> Dab:
    """The same on the other half."""
    x, y = mirror.of(np.array([[dab.x, dab.y]]))[0]
    there = replace(dab, x=float(x), y=float(y))
    if move is Move.PUSH:
        by_x, by_y = mirror.way((dab.by_x, dab.by_y))
        back = mirror.way((dab.start[0] - dab.x, dab.start[1] - dab.y))
        return replace(there, by_x=by_x, by_y=by_y, from_x=float(x + back[0]),
                       from_y=float(y + back[1]))  # fmt: skip
    return replace(there, by_x=-dab.by_x) if move is Move.TURN else there


def mirror_of(state: JobState, layer: ReshapeLayer, hand: Hand) -> Mirror | None:
    """What strokes are repeated by; `EditError` where there is nothing to mirror at."""
    if not hand.shape.mirrored:
        return None
    from lather.core.shape.mirror import face_mirror, line_mirror
    from lather.core.survey.faces.mesh_fit import fitted_points

    if layer.middle is not None:
        return line_mirror(*layer.middle)
    if not state.findings.faces:
        raise EditError(
            "Nothing was moved", "there is no face to mirror at",
            "survey the portrait, draw the middle line by hand, or switch mirroring off",
        )  # fmt: skip
    return face_mirror(fitted_points(state.findings.faces[0]))


def guard_of(state: JobState, layer: ReshapeLayer, hand: Hand) -> Guard:
    """The straight lines that are kept."""
    if not hand.shape.keeps_straight:
        return Guard()
    from lather.assist.shape.straight_lines import lines_under

    return Guard(lines_under(state, layer.id).pieces)


def area_limit(state: JobState) -> Limit | None:
    """Only the area moves, where there is one: as it is seen, above the layer itself."""
    area = state.area
    if area is None:
        return None
    space = layer_space(state, state.active_id)
    return lambda layer, nodes: area_at_nodes(area, space.over(layer), nodes, layer.step_px)


def with_layer(state: JobState, layer: ReshapeLayer) -> JobState:
    """The state with another version of a reshape layer."""
    return replace(state, layers=replaced(state.layers, layer.id, (layer,)))
