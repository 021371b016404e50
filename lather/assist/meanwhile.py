"""Work done aside, merged into a job that went on: what the person decided meanwhile counts.

`document/merge.py` leaves out what serves nothing that is still wanted. Here what is left of an
assistant's layer is cut out where a mark was set to be kept, in the layer's own space.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.document.findings import FindingState
from lather.document.layers.layer import Layer, Mask
from lather.document.merge import Merged, merge
from lather.document.planes import read_plane, with_plane
from lather.document.state import JobState
from lather.document.tree import replaced, walk
from lather.render.marks import marks_in
from lather.render.space import layer_space, painted_space


def merged_with(before: JobState, after: JobState, now: JobState) -> Merged:
    """What work aside made of `before`, in the state of now; see `merge`."""
    merged = merge(before, after, now, lies=lambda mark, layer_id: marks_in(
        (mark,), layer_space(after, layer_id))[0])  # fmt: skip
    marks = _kept_meanwhile(before, now)
    if not marks:
        return merged
    known = {layer.id for state in (before, now) for layer in walk(state.layers)}
    state, n_cut = merged.state, 0
    for layer in list(walk(state.layers)):
        if layer.id not in known and _acts_by_itself(layer):
            cut = _without(state, layer, marks)
            if cut is not layer:
                state = replace(state, layers=replaced(state.layers, layer.id, (cut,)))
                n_cut += 1
    if not n_cut:
        return merged
    many = "the mark" if len(marks) == 1 else f"the {len(marks)} marks"
    told = f"{many} that you keep since, cut out of it"
    return replace(merged, state=state, left_out=(*merged.left_out, told))


def _kept_meanwhile(before: JobState, now: JobState) -> list[Finding]:
    kept = {finding.id for finding in before.findings.in_state(FindingState.KEPT)}
    known = {finding.id: finding for finding in before.findings.items}
    return [finding for finding in now.findings.in_state(FindingState.KEPT)
            if finding.id not in kept or finding != known.get(finding.id)]  # fmt: skip


def _acts_by_itself(layer: Layer) -> bool:
    """What an assistant measured, rather than strokes, which are taken one by one."""
    return not layer.children and not layer.strokes and not layer.MOVES and layer.BLENDS


def _without(state: JobState, layer: Layer, marks: Sequence[Finding]) -> Layer:
    """A layer that does not show where marks lie; itself if it does nothing there."""
    shown = layer.mask if layer.mask is not None and layer.mask.enabled else None
    mask = shown or Mask()
    tiles = mask.tiles
    for mark, rect in _places(state, layer, marks):
        plane, covered = read_plane(tiles, rect), mark.coverage(rect)
        shows = 1 - plane if mask.inverted else plane
        if not (shows * covered).any() or not _does_anything(layer, rect):
            continue
        left = shows * (1 - covered)
        tiles = with_plane(tiles, rect, 1 - left if mask.inverted else left)
    if tiles is mask.tiles:
        return layer
    return replace(layer, mask=replace(mask, tiles=tiles, enabled=True))


def _places(
    state: JobState, layer: Layer, marks: Sequence[Finding]
) -> Iterator[tuple[Finding, Rect]]:
    for mark in marks_in(marks, painted_space(state, layer.id)):
        rect = mark.rect.intersect(state.photo.rect)
        if not rect.empty:
            yield mark, rect


def _does_anything(layer: Layer, rect: Rect) -> bool:
    """False where nothing is painted on a layer that is painted."""
    return not layer.planes or any(
        (tiles.read(rect) != tiles.fill).any() for tiles in layer.planes.values()
    )
