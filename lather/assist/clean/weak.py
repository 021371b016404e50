"""Creases and eye bags: softened on a layer of their own, as strongly as the brief says.

Taken away altogether they leave a face flat, and a strength can be changed later.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from lather.core.area.place import Place
from lather.core.survey.faces.anchors import inside_ring_px
from lather.core.survey.faces.mesh_points import UNDER_EYES
from lather.core.survey.findings.finding import Finding
from lather.document.access import is_mendable
from lather.document.agreed.style import Weak
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage, new_id
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tree import inserted_above, walk_whole

STAGE = Stage.CLEAN
NAMES = {Weak.CREASES: "Softened creases", Weak.EYE_BAGS: "Softened eye bags"}
LEAST_BAG = 0.1  # width of a place that can be an eye bag, in pupil distances
ALONG = 0.4  # share of a crease that a stroke must cover to be meant for it
LONG, LEAST_CREASE_MM = 4.0, 8.0


def weak_kind(findings: Iterable[Finding]) -> Weak | None:
    """What findings that are mended together are softened as; None: they are mended in full."""
    return Weak.CREASES if all(f.kind.is_softened for f in findings) else None


def weak_kind_at(state: JobState, place: Place, *, by_source: bool) -> Weak | None:
    """What a stroke softens, by where it lies and what was found there.

    A long stroke with a picked source is one along a crease, found or not.
    """
    if _is_eye_bag(state, place):
        return Weak.EYE_BAGS
    for finding in state.findings.items:
        if finding.kind.is_softened and state.findings.state(finding) is not FindingState.KEPT:
            near = [(x, y) for x, y in finding.path_px if place.rect.contains_point(x, y)]
            covered = sum(
                place.coverage[int(y) - place.rect.y0, int(x) - place.rect.x0] > 0.5
                for x, y in near
            )
            if covered > ALONG * len(finding.path_px):
                return Weak.CREASES
    return Weak.CREASES if by_source and _is_long(state, place) else None


def with_weak_layer(
    state: JobState, weak: Weak, but: frozenset[int] = frozenset()
) -> tuple[JobState, PixelLayer]:
    """The layer of that kind, none of `but`, made above the active one if there is none to be
    painted on."""
    for layer in walk_whole(state.layers):
        if (isinstance(layer, PixelLayer) and layer.weak is weak and layer.id not in but
                and is_mendable(state, layer)):  # fmt: skip
            return state, layer
    layer = PixelLayer(
        id=new_id(), name=NAMES[weak], stage=STAGE, weak=weak,
        strength=state.brief.style.strength(weak),
    )  # fmt: skip
    return replace(state, layers=inserted_above(state.layers, anchor_of_weak(state), layer)), layer


def anchor_of_weak(state: JobState) -> int:
    """The layer above which softening goes: the topmost of Clean, or the photo."""
    top = state.layers[0]
    for layer in state.layers:
        if layer.MOVES:
            break
        if layer.stage is STAGE and not isinstance(layer, PhotoLayer):
            top = layer
    return top.id


def _is_eye_bag(state: JobState, place: Place) -> bool:
    """True for what lies under an eye of anybody, and is large enough."""
    from lather.core.survey.faces.mesh_fit import fitted_points  # not for the first window

    total = float(place.coverage.sum())
    if total <= 0:
        return False
    ys, xs = np.mgrid[place.rect.y0 : place.rect.y1, place.rect.x0 : place.rect.x1] + 0.5
    x, y = (float((place.coverage * axis).sum()) / total for axis in (xs, ys))
    for face in state.findings.faces:
        if place.rect.width < LEAST_BAG * face.pupil_distance_px:
            continue
        points = fitted_points(face)[:, :2].astype(np.float64)
        if any(inside_ring_px(points[list(ring)], x, y) > 0 for ring in UNDER_EYES):
            return True
    return False


def _is_long(state: JobState, place: Place) -> bool:
    from lather.core.mend.search import width_px_of  # OpenCV is not loaded for the first window

    scale = state.findings.mm_per_px
    inside = place.coverage > 0.5
    if scale is None or not inside.any():
        return False
    width_px = width_px_of(inside)
    length_px = float(inside.sum()) / width_px
    return length_px > LONG * width_px and length_px * scale > LEAST_CREASE_MM
