"""Surveying a photo, and mending what is found: each inside its own extent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from lather.core.arrays import FloatImage
from lather.core.brush.stroke import Brush, PenSample
from lather.core.colour.display import through_lattice
from lather.core.rect import Rect
from lather.core.survey.finding import Finding
from lather.core.work import CancelToken, Progress, no_progress
from lather.document import edits
from lather.document.findings import FindingState
from lather.document.job import JobState
from lather.document.layers import PixelLayer, Stage
from lather.document.photo import Photo
from lather.document.strokes import StrokeRecord
from lather.document.tree import walk
from lather.errors import EditError
from lather.render.compositor import render_below
from lather.tools.mend import LAYER_NAME, avoided, with_mended

if TYPE_CHECKING:
    from lather.core.survey.survey import Survey


def survey_photo(
    photo: Photo, *, progress: Progress = no_progress, cancel: CancelToken | None = None
) -> Survey:
    """`survey` of a photo, in sRGB whatever its own space is."""
    from lather.core.survey.survey import survey

    rgb = photo.read_float(photo.rect)[..., :3]
    if photo.lattice.shape[0] > 1:
        rgb = through_lattice(rgb, photo.lattice)
    return survey(rgb, progress=progress, cancel=cancel)


def mend_findings(
    state: JobState,
    findings: Sequence[Finding],
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> JobState:
    """The state with findings mended and done, the smallest first.

    They go on the active layer if it is one of Clean's that can be painted on, or on a new
    one above the photo. A finding with no clean skin near by is left open.

    Raises
    ------
    EditError : none of them could be mended.
    Cancelled : by the token; nothing was changed.
    """
    state, layer_id = _with_layer(state)
    done = []
    for number, finding in enumerate(sorted(findings, key=lambda f: f.reach_px)):
        if cancel is not None:
            cancel.check()
        progress(number / len(findings), f"mending {number + 1} of {len(findings)}")
        try:
            state = _mended(state, layer_id, finding)
        except EditError:
            continue
        done.append(finding.id)
    if not done:
        raise EditError(
            "Nothing was mended",
            "no clean skin lies near enough",
            "mend by hand with a smaller brush",
        )
    return state


def _mended(state: JobState, layer_id: int, finding: Finding) -> JobState:
    from lather.core.mend.spot import mend_spot  # OpenCV is not loaded for the first window

    layer = edits.paintable(state, layer_id)
    picture = state.photo.rect
    place = finding.rect.intersect(picture)
    if place.empty:
        raise EditError("Nothing was mended", "the finding lies outside of the picture")

    def read(rect: Rect, level: int) -> FloatImage:
        return render_below(state, layer_id, rect, level)

    mended = mend_spot(
        read, picture, place, finding.coverage(place), avoid=avoided(state.findings)
    )
    record = StrokeRecord(
        tool="mend_spot",
        brush=Brush(size_px=2 * finding.reach_px, hardness=1.0),
        samples=(PenSample(0.0, finding.x, finding.y, 1.0),),
        rect=mended.rect,
        source=(mended.source.dx, mended.source.dy),
        extras={"finding": finding.id},
    )
    after = with_mended(layer, mended, record)
    state = edits.update_layer(state, layer_id, tiles=after.tiles, strokes=after.strokes)
    return edits.decide(state, [finding.id], FindingState.DONE)


def _with_layer(state: JobState) -> tuple[JobState, int]:
    """The layer that mends go on."""
    active = state.active
    for layer in (active, *walk(state.layers)):
        usable = isinstance(layer, PixelLayer) and layer.visible and not layer.locked
        if usable and layer.stage is Stage.CLEAN and (layer is active or layer.name == LAYER_NAME):
            return state, layer.id
    on_photo = replace(state, active_id=state.layers[0].id)
    above_photo = edits.add_pixel_layer(on_photo, LAYER_NAME, Stage.CLEAN)
    return above_photo, above_photo.active_id
