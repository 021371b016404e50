"""What is done to a reshape layer as a whole: evened, held, brought back, made straight."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lather.assist.proposal import Meant, Proposal
from lather.assist.shape.face_features import mesh_of
from lather.assist.shape.measures import shape_measures, total_field
from lather.core.adjust.bracket import smooth_step
from lather.core.arrays import Plane
from lather.core.rect import Rect
from lather.core.shape.field import Field, Points, node_places, node_rect
from lather.core.shape.guard import Guard, along_lines
from lather.core.shape.measure import LEAST_MOVED_MM
from lather.core.shape.mirror import Mirror, face_mirror, line_mirror
from lather.core.survey.regions.region import Part, Region
from lather.core.work import NEVER, CancelToken, Progress
from lather.document import edits
from lather.document.access import refuse_unless_changeable
from lather.document.layers.grain import GrainLayer, GrainParameters
from lather.document.layers.layer import Mask, Stage
from lather.document.layers.reshape import (
    NOT_MOVED,
    ReshapeLayer,
)
from lather.document.operations.operation import Measure
from lather.document.people import person_at
from lather.document.planes import read_plane, with_plane
from lather.document.reshapes import reshape_to_work_on, with_change
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK
from lather.document.tree import replaced
from lather.errors import EditError
from lather.render.ground import ground_of
from lather.render.regions import region_coverage
from lather.render.space import area_at_nodes, in_photo_space, layer_space

PLACES_AT_ONCE = 50_000
COARSE_STEPS = 4  # of the grid: how finely the other half is worked out
BLEND = 0.4  # of how near the mirror's deviations count: over which the halves meet
SMOOTH = 0.1  # of how near the mirror's deviations count
MOST_TRIALS, LESS_AROUND = 12, 25  # of a change that folds; nodes around, where it is less
SOFT_MM = 2.0  # the rim of what is held by a region
LEAST_LOSS = 0.03  # of grain, below which no grain is offered
STRAIGHT_STEPS, STRAIGHT_FREE_STEPS = 5, 20

Shares = Callable[[ReshapeLayer, Rect], Plane]  # of a rectangle of nodes, 0-1


def active_reshape(state: JobState) -> ReshapeLayer:
    """The reshape layer in work; EditError if nothing was reshaped."""
    layer = state.active
    if not isinstance(layer, ReshapeLayer):
        found = [one for one in state.layers if isinstance(one, ReshapeLayer)]
        if not found:
            raise EditError(
                "Nothing was changed", "nothing is reshaped yet", "push something first"
            )
        layer = found[-1]
    refuse_unless_changeable(state, layer.id)
    return layer


def even_other_side(state: JobState, cancel: CancelToken = NEVER) -> JobState:
    """The half that was moved less gets the mirror image of what the other one has."""
    layer = active_reshape(state)
    mesh = mesh_of(state, _moved_person(state, layer))
    if layer.middle is not None:
        mirror = line_mirror(*layer.middle)
    elif mesh is not None:
        mirror = face_mirror(mesh)
    else:
        raise EditError(
            "The other side stays as it is", "there is no face to mirror at",
            "survey the portrait, or draw the middle line by hand",
        )  # fmt: skip
    if not layer.moves:
        raise EditError("The other side stays as it is", "neither side was moved")
    return _with(state, _evened(layer, mirror, state.photo.rect, cancel))


def _moved_person(state: JobState, layer: ReshapeLayer) -> int:
    """Whose face a layer moves."""
    bounds = layer.bounds
    if bounds is None:
        return 0
    return person_at(state.findings, (bounds.x0 + bounds.x1) / 2, (bounds.y0 + bounds.y1) / 2)


def _evened(
    layer: ReshapeLayer, mirror: Mirror, picture: Rect, cancel: CancelToken
) -> ReshapeLayer:
    import cv2

    whole, coarse_px = node_rect(picture, layer.step_px), COARSE_STEPS * layer.step_px
    at = _both_sides(layer, mirror, picture, coarse_px)
    places = node_places(at, coarse_px)
    points = places.reshape(-1, 2)
    others = mirror.of(points, cancel)
    sources = layer.whole_field(picture)
    here, there = (_read_at(sources, at_once, cancel) for at_once in (points, others))
    there = (there @ mirror.ways).astype(np.float32)
    side = ((points - others) @ mirror.across) / 2
    moved = np.hypot(here[:, 0], here[:, 1])
    model = 1.0 if moved[side > 0].sum() >= moved[side < 0].sum() else -1.0
    width = max(BLEND * mirror.near_px, 2.0 * coarse_px)
    keeps = smooth_step((model * side / width + 1) / 2)  # 1 on the half that is the model
    change = ((1 - keeps)[:, None] * (there - here)).reshape(places.shape).astype(np.float32)
    soft = SMOOTH * mirror.near_px / coarse_px
    if soft > 0.5:  # between the pairs of a mesh the mirror has small steps
        change = cv2.GaussianBlur(change, (0, 0), soft, borderType=cv2.BORDER_REPLICATE)
    nodes = Rect(at.x0 * COARSE_STEPS, at.y0 * COARSE_STEPS, (at.x1 - 1) * COARSE_STEPS + 1,
                 (at.y1 - 1) * COARSE_STEPS + 1).intersect(whole)  # fmt: skip
    xs = (np.arange(nodes.x0, nodes.x1) / COARSE_STEPS - at.x0).astype(np.float32)
    ys = (np.arange(nodes.y0, nodes.y1) / COARSE_STEPS - at.y0).astype(np.float32)
    fine = cv2.remap(change, *np.meshgrid(xs, ys), cv2.INTER_CUBIC)
    return with_change(layer, nodes, fine, cancel)


def _read_at(sources: Field, points: Points, cancel: CancelToken) -> NDArray[np.float32]:
    """(N, 2): a field at many places, a part of them after the other."""
    parts = []
    for first in range(0, len(points), PLACES_AT_ONCE):
        cancel.check()
        parts.append(sources.at(points[first : first + PLACES_AT_ONCE]))
    return np.concatenate(parts)


def _both_sides(layer: ReshapeLayer, mirror: Mirror, picture: Rect, coarse_px: int) -> Rect:
    """The coarse grid's places that the layer moves, and those on the other half."""
    here = (layer.bounds or Rect(0, 0, 0, 0)).intersect(picture)
    share = np.linspace(0, 1, 9)
    xs, ys = np.meshgrid(here.x0 + share * here.width, here.y0 + share * here.height)
    seen = mirror.of(np.stack([xs.ravel(), ys.ravel()], -1))
    (x0, y0), (x1, y1) = seen.min(0), seen.max(0)
    both = here.union(Rect(int(x0), int(y0), int(x1) + 1, int(y1) + 1)).intersect(picture)
    return node_rect(both, coarse_px)


# --- hold, and bring back --------------------------------------------------------------------


def hold(state: JobState, shares: Shares, cancel: CancelToken = NEVER) -> JobState:
    """What is not to move, beside what is held already."""
    state, layer = reshape_to_work_on(state)
    whole = node_rect(state.photo.rect, layer.step_px)
    share = shares(layer, whole)
    cancel.check()
    held = np.maximum(read_plane(layer.hold, whole), share)
    return _with(state, replace(layer, hold=with_plane(layer.hold, whole, held)))


def hold_region(
    state: JobState, region: Region | Part, cancel: CancelToken = NEVER
) -> JobState:
    return hold(state, region_shares(state, region), cancel)


def hold_area(state: JobState, cancel: CancelToken = NEVER) -> JobState:
    return hold(state, area_shares(state, cancel), cancel)


def clear_hold(state: JobState) -> JobState:
    layer = active_reshape(state)
    return _with(state, replace(layer, hold=BLACK_MASK))


def bring_back(
    state: JobState, shares: Shares | None = None, cancel: CancelToken = NEVER
) -> JobState:
    """Undo what was moved: all of it, or where shares are."""
    layer = active_reshape(state)
    if not layer.moves:
        raise EditError("Nothing was brought back", "nothing is moved")
    if shares is None:
        return _with(state, replace(layer, across=NOT_MOVED, down=NOT_MOVED))
    nodes = _moved_nodes(layer, state.photo.rect)
    change = -layer.field(nodes).nodes * shares(layer, nodes)[..., None]
    return _with(state, with_change(layer, nodes, change, cancel))


def bring_back_area(state: JobState, cancel: CancelToken = NEVER) -> JobState:
    return bring_back(state, area_shares(state, cancel), cancel)


def bring_back_region(
    state: JobState, region: Region | Part, cancel: CancelToken = NEVER
) -> JobState:
    return bring_back(state, region_shares(state, region), cancel)


def straighten_background(state: JobState, cancel: CancelToken = NEVER) -> JobState:
    """Take out of the field what goes across the straight lines of the background."""
    from lather.assist.shape.straight_lines import lines_under

    layer = active_reshape(state)
    lines = lines_under(state, layer.id).pieces
    if not len(lines):
        raise EditError("Nothing was made straight", "no straight line was found behind the person")
    if not layer.moves:
        raise EditError("Nothing was made straight", "nothing is moved")
    step, nodes = layer.step_px, _moved_nodes(layer, state.photo.rect)
    y, x = np.mgrid[nodes.y0 : nodes.y1, nodes.x0 : nodes.x1] * float(step)
    bounds = np.array([state.photo.width, state.photo.height, STRAIGHT_STEPS * step,
                       STRAIGHT_FREE_STEPS * step])  # fmt: skip
    before = layer.field(nodes).nodes
    near = Guard(lines).near(float(x.mean()), float(y.mean()), float(np.hypot(*x.shape) * step))
    cancel.check()
    along = along_lines(before.astype(np.float64), x, y, near.lines, bounds, cancel)
    change = (along - before).astype(np.float32)
    return _with(state, with_change(layer, nodes, change, cancel))


def region_shares(state: JobState, region: Region | Part) -> Shares:
    """A region as it is seen above a reshape layer, with a soft rim."""
    def shares(layer: ReshapeLayer, nodes: Rect) -> Plane:
        import cv2

        level = layer.step_px.bit_length() - 1
        ground = ground_of(state, layer_space(state, layer.id).over(layer))
        plane = region_coverage(ground, region, nodes, level)
        sigma = SOFT_MM * px_per_mm(state) / layer.step_px / 2
        out: Plane = cv2.GaussianBlur(plane, (0, 0), max(sigma, 1.0))
        return out

    return shares


def area_shares(state: JobState, cancel: CancelToken = NEVER) -> Shares:
    """The area as it is seen above a reshape layer; EditError if there is none."""
    area = state.area
    if area is None:
        raise EditError("Nothing was changed", "there is no area", "outline or grow one first")

    def shares(layer: ReshapeLayer, nodes: Rect) -> Plane:
        import cv2

        space = layer_space(state, layer.id).over(layer)
        plane = area_at_nodes(area, space, nodes, layer.step_px, cancel)
        out: Plane = cv2.GaussianBlur(plane, (0, 0), 2.0)
        return out

    return shares


def _moved_nodes(layer: ReshapeLayer, picture: Rect) -> Rect:
    tiles = Rect.union_of((layer.across.bounds(), layer.down.bounds()))
    return tiles.intersect(node_rect(picture, layer.step_px))


def _with(state: JobState, layer: ReshapeLayer) -> JobState:
    changed = replace(state, layers=replaced(state.layers, layer.id, (layer,)))
    return replace(changed, active_id=layer.id)


# --- grain -----------------------------------------------------------------------------------


def propose_matched_grain(
    state: JobState, meant: Meant, *, progress: Progress, cancel: CancelToken  # noqa: ARG001
) -> Proposal:
    """`propose_grain`, as all assistants are asked."""
    return propose_grain(state)


def propose_grain(state: JobState) -> Proposal:
    """Grain where skin was moved and lost some, as much as it lost."""
    name = "Matched grain"
    measured = shape_measures(state)
    kept = measured.grain_kept if measured is not None else None
    if measured is None or kept is None:
        return _refused(state, name, "nothing is moved")
    if kept > 1 - LEAST_LOSS:
        return _refused(state, name, f"moved skin keeps {kept:.0%} of its grain")
    own_l = _own_grain_l(state)
    missing_l = own_l * float(np.sqrt(max(0.0, 1 - kept**2)))
    fitting, said = GrainParameters.nearest(sigma_l=round(missing_l, 2), size_px=0.5)
    on_top = replace(state, active_id=state.layers[-1].id)
    added = edits.add_computed(on_top, GrainLayer, **fitting.values)
    layer = replace(added.active, name=name, stage=Stage.SHAPE, mask=_moved_mask(state))
    after = replace(added, layers=replaced(added.layers, layer.id, (layer,)))
    again = shape_measures(after)
    now = again.grain_kept if again is not None and again.grain_kept is not None else kept
    measures = (Measure("grain of moved skin", 100 * kept, 100 * now, "%"),)
    return Proposal(name, state, after, measures, said, stage=Stage.SHAPE)


def _own_grain_l(state: JobState) -> float:
    from lather.assist.grain import measured_grain_l

    return measured_grain_l(in_photo_space(state))


def _moved_mask(state: JobState) -> Mask:
    """Where something was moved, at full size."""
    import cv2

    field, picture = total_field(state), state.photo.rect
    length_mm = np.sqrt((field.nodes**2).sum(-1)) / px_per_mm(state)
    soft = np.clip(length_mm / LEAST_MOVED_MM - 0.5, 0, 1).astype(np.float32)
    step = field.step_px
    full = Rect(field.rect.x0 * step, field.rect.y0 * step, (field.rect.x1 - 1) * step,
                (field.rect.y1 - 1) * step).intersect(picture)  # fmt: skip
    xs = ((np.arange(full.x0, full.x1) + 0.5) / step - field.rect.x0).astype(np.float32)
    ys = ((np.arange(full.y0, full.y1) + 0.5) / step - field.rect.y0).astype(np.float32)
    plane = cv2.remap(soft, *np.meshgrid(xs, ys), cv2.INTER_LINEAR)
    return Mask(tiles=with_plane(BLACK_MASK, full, plane))


def _refused(state: JobState, name: str, why: str) -> Proposal:
    return Proposal(name, state, state, refusal=EditError("No grain is proposed", why))
