"""Mending a place whose rim is broken: cut free first."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lather.assist.clean.clean import LAYER_NAME
from lather.core.area.place import Place
from lather.core.brush.stroke import Brush, PenSample, StrokePath
from lather.document import edits
from lather.document.access import mendable
from lather.document.areas import bounds_of
from lather.document.avoid import avoided
from lather.document.findings import FindingState
from lather.document.painting.laid import Laid, laying
from lather.document.painting.painting import Coverage
from lather.document.painting.strokes import StrokeRecord, readings_of, samples_of
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.errors import EditError
from lather.render.area import area_in, limit_on
from lather.render.marks import findings_in, marks_in
from lather.render.space import Space, layer_space
from lather.render.visibility import refuse_unless_seen
from lather.tools.own_layer import layer_to_mend_on
from lather.tools.reading import up_to
from lather.tools.rim import rim_of

if TYPE_CHECKING:
    from lather.core.survey.findings.finding import Finding


def place_of_area(state: JobState) -> Place:
    """Where the area lies on the layer that is mended on."""
    area = area_in(state, _space(state))
    assert area is not None
    rect = bounds_of(area, state.photo.rect)
    return Place(rect, read_plane(area, rect))


def place_of_finding(state: JobState, finding: Finding) -> Place:
    """Where a finding lies on the layer that is mended on."""
    (there,) = marks_in((finding,), _space(state))
    rect = there.rect.intersect(state.photo.rect)
    return Place(rect, there.coverage(rect))


def place_of_stroke(state: JobState, stroke: StrokeRecord) -> Place:
    """What a mend's stroke covered, as shares of its opacity, on the layer that is mended on."""
    coverage = Coverage(state.photo.rect)
    coverage.stamp(StrokePath(stroke.brush).extend(samples_of(stroke.readings)))
    rect = coverage.rect
    return Place(rect, coverage.read(rect) / np.float32(max(stroke.brush.opacity, 1e-3)))


def cut_area_free(state: JobState) -> JobState:
    return cut_free_at(state, place_of_area(state))[0]


def cut_stroke_free(state: JobState, stroke: StrokeRecord) -> JobState:
    """Where a mend went that was taken back."""
    return cut_free_at(state, place_of_stroke(state, stroke))[0]


def cut_finding_free(state: JobState, finding_id: int) -> JobState:
    """A finding, which is done then; EditError if it is gone."""
    finding = next((f for f in state.findings.items if f.id == finding_id), None)
    if finding is None:
        raise EditError("Nothing was cut free", "the finding is gone", "look for another one")
    mended, layer_id = cut_free_at(state, place_of_finding(state, finding))
    return edits.decide(mended, (finding_id,), FindingState.DONE, by=layer_id)


def _space(state: JobState) -> Space:
    own = layer_to_mend_on(state, LAYER_NAME).state
    return layer_space(own, own.active_id)


def cut_free_at(state: JobState, place: Place) -> tuple[JobState, int]:
    """The place mended, after copies along the broken part of its rim, and the layer it is on.

    Raises
    ------
    EditError : the layer cannot be painted on, or nothing near by continues the edge.
    """
    from lather.core.mend.free import cut_free
    from lather.core.mend.rim import RimTest

    state = layer_to_mend_on(state, LAYER_NAME).state
    layer = mendable(state, state.active_id)
    read = up_to(state, layer.id)
    picture = state.photo.rect
    refuse_unless_seen(state, layer.id, place.rect)
    rim = rim_of(read, picture, place)
    if rim is None:
        rim = RimTest(np.zeros((0, 2), np.float32), np.zeros(0, bool))
    there = findings_in(state.findings, layer_space(state, layer.id))
    mended = cut_free(read, picture, place.rect, place.coverage, rim, avoid=avoided(there))
    size_px = float(max(place.rect.width, place.rect.height))
    x, y = (place.rect.x0 + place.rect.x1) / 2, (place.rect.y0 + place.rect.y1) / 2
    record = StrokeRecord(
        tool="mend_spot",
        brush=Brush(size_px=size_px, hardness=1.0),
        readings=readings_of([PenSample(0.0, x, y, 1.0)]),
        rect=mended.rect,
        source=(0, 0),
        extras={"cut_free": round(rim.share, 3)},
    )
    after = Laid(layer, laying(mended, limit_on(state, layer.id, mended.rect)), record).done()
    mended_on = edits.update_layer(state, layer.id, tiles=after.tiles, strokes=after.strokes)
    return mended_on, layer.id
