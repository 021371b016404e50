"""The reshape layers of a job: which one is worked on, and whether it may be."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np

from lather.core.rect import Rect, paste
from lather.core.shape.field import Nodes, step_for
from lather.core.shape.guard import Numbers, folded, least_area
from lather.core.work import NEVER, CancelToken
from lather.document.access import (
    hidden_by,
    locked_by,
    refuse_unless_changeable,
    refuse_unless_shown,
)
from lather.document.edits import update_layer
from lather.document.layers.layer import Stage, new_id
from lather.document.layers.reshape import ReshapeLayer
from lather.document.state import JobState
from lather.errors import EditError

NAME = "Reshape"
ROWS_AT_ONCE, CUBIC_CELLS = 128, 3  # of nodes; around a cell, that a cubic looks at
LESS_REACH = 50  # nodes, of the blur of where there is less
MOST_TRIALS, LESS_AROUND = 12, 25  # of a change that folds; nodes around, where it is less


def reshape_to_work_on(state: JobState) -> tuple[JobState, ReshapeLayer]:
    """The active reshape layer, or else the topmost that may change, or a new one above all.

    It is the active one then. `EditError` where the brief lets nothing be reshaped.
    """
    refuse_by_brief(state)
    active = state.active
    if isinstance(active, ReshapeLayer):
        refuse_unless_changeable(state, active.id)
        refuse_unless_shown(state, active.id, done="moved")
        return state, active
    for layer in reversed(state.layers):
        if isinstance(layer, ReshapeLayer) and _is_open(state, layer):
            return replace(state, active_id=layer.id), layer
    return add_reshape(state)


def add_reshape(state: JobState) -> tuple[JobState, ReshapeLayer]:
    """A new one above all layers: reshaping comes last."""
    refuse_by_brief(state)
    taken = {layer.name for layer in state.layers}
    names = (NAME if number == 1 else f"{NAME} {number}" for number in itertools.count(1))
    name = next(name for name in names if name not in taken)
    layer = ReshapeLayer(
        id=new_id(), name=name, stage=Stage.SHAPE, step_px=step_for(state.photo.rect)
    )
    return replace(state, layers=(*state.layers, layer), active_id=layer.id), layer


def new_reshape(state: JobState) -> JobState:
    return add_reshape(state)[0]


def mirror_at_face(state: JobState, layer_id: int) -> JobState:
    """Forget the line that strokes are mirrored at."""
    return update_layer(state, layer_id, middle=None)


def with_change(
    layer: ReshapeLayer, nodes: Rect, change: Nodes, cancel: CancelToken = NEVER
) -> ReshapeLayer:
    """A layer with something added to its nodes; less of it where that would fold."""
    import cv2

    before, step_px = layer.field(nodes).nodes, layer.step_px
    cells = Rect(0, 0, nodes.width - 1, nodes.height - 1)
    was, place = _least_areas(before, step_px, cells, cancel), cells
    share = np.ones(change.shape[:2], dtype=np.float32)
    after = before.copy()
    for _ in range(MOST_TRIALS):
        held = Rect(place.x0, place.y0, place.x1 + 1, place.y1 + 1).slices
        after[held] = before[held] + share[held][..., None] * change[held]
        look = place.grown(CUBIC_CELLS).intersect(cells)
        folds = folded(was[look.slices], _least_areas(after, step_px, look, cancel))
        if not folds.any():
            break
        place = Rect.of_mask(folds).shifted(look.x0, look.y0).grown(
            LESS_AROUND // 2 + LESS_REACH).intersect(cells)  # fmt: skip
        here = np.zeros((place.height, place.width), dtype=np.uint8)
        paste(here, place, folds.astype(np.uint8), look)
        wide = cv2.dilate(here, np.ones((LESS_AROUND, LESS_AROUND), dtype=np.uint8))
        less = cv2.GaussianBlur(wide.astype(np.float32), (0, 0), LESS_AROUND / 2)
        share[place.slices] *= 1 - 0.5 * less
    else:
        return layer
    return layer.with_nodes(nodes, after)


def _least_areas(nodes: Nodes, step_px: int, cells: Rect, cancel: CancelToken) -> Numbers:
    """`least_area` of a rectangle of cells, a band of rows after the other."""
    out = np.empty((cells.height, cells.width))
    left, right = max(cells.x0 - CUBIC_CELLS, 0), cells.x1 + 1 + CUBIC_CELLS
    for top in range(cells.y0, cells.y1, ROWS_AT_ONCE):
        cancel.check()
        bottom, first = min(top + ROWS_AT_ONCE, cells.y1), max(top - CUBIC_CELLS, 0)
        band = least_area(nodes[first : bottom + 1 + CUBIC_CELLS, left:right], step_px)
        out[top - cells.y0 : bottom - cells.y0] = band[
            top - first : bottom - first, cells.x0 - left : cells.x0 - left + cells.width
        ]
    return out


def refuse_by_brief(state: JobState) -> None:
    """`EditError` where the brief's style lets nothing be moved."""
    style = state.brief.style
    if state.brief.limits.displacement <= 0:
        raise EditError(
            "Nothing was reshaped", f"the brief says '{style.title.lower()}': {style.caution}",
            "leave the shape as it is, or set another style in the brief if it is none",
        )  # fmt: skip


def _is_open(state: JobState, layer: ReshapeLayer) -> bool:
    return locked_by(state, layer.id) is None and not hidden_by(state, layer.id)[0]
