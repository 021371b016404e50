"""The reshape layers of a job: which one is worked on, and whether it may be."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np

from lather.core.rect import Rect
from lather.core.shape.field import Nodes, step_for
from lather.core.shape.guard import folded, least_area
from lather.document.access import (
    hidden_by,
    locked_by,
    refuse_unless_changeable,
    refuse_unless_shown,
)
from lather.document.layers.layer import Stage, new_id
from lather.document.layers.reshape import ReshapeLayer
from lather.document.state import JobState
from lather.errors import EditError

NAME = "Reshape"
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


def with_change(layer: ReshapeLayer, nodes: Rect, change: Nodes) -> ReshapeLayer:
    """A layer with something added to its nodes; less of it where that would fold."""
    import cv2

    before = layer.field(nodes).nodes
    was = least_area(before, layer.step_px)
    share = np.ones(change.shape[:2], dtype=np.float32)
    for _ in range(MOST_TRIALS):
        after = (before + share[..., None] * change).astype(np.float32)
        folds = folded(was, least_area(after, layer.step_px)).astype(np.uint8)
        if not folds.any():
            break
        wide = cv2.dilate(folds, np.ones((LESS_AROUND, LESS_AROUND), dtype=np.uint8))
        less = np.zeros(share.shape, dtype=np.float32)
        less[:-1, :-1] = wide
        share *= 1 - 0.5 * cv2.GaussianBlur(less, (0, 0), LESS_AROUND / 2)
    else:
        return layer
    return layer.with_nodes(nodes, after)


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
