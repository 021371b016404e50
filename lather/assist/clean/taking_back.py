"""Mends taken back: what lay under them shows again, and their findings are open."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

import numpy as np

from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.document import edits
from lather.document.access import mendable
from lather.document.findings import FindingState
from lather.document.layers.pixels import PixelLayer
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import walk

NEAR_PX = 2
MENDED = "findings"  # in a stroke's record: what it mended


def take_back(state: JobState, ids: Collection[int]) -> JobState:
    """The state without what was mended of some findings by the assistant; they are open again."""
    wanted = set(ids)
    for layer in list(walk(state.layers)):
        if isinstance(layer, PixelLayer) and any(wanted & mended(s) for s in layer.strokes):
            state = _without(state, mendable(state, layer.id), wanted)
    return state


def mends_at(state: JobState, layers: Iterable[int], x: float, y: float) -> tuple[int, ...]:
    """The findings whose mends on some layers reach a place of the photo."""
    found: set[int] = set()
    for layer_id in layers:
        layer = state.layer(layer_id)
        for stroke in layer.strokes if isinstance(layer, PixelLayer) else ():
            if stroke.rect.grown(NEAR_PX).contains_point(x, y):
                found |= mended(stroke)
    return tuple(sorted(found))


def mended(stroke: StrokeRecord) -> frozenset[int]:
    """The findings that a stroke of the assistant mended."""
    ids = stroke.extras.get(MENDED)
    return frozenset(ids) if isinstance(ids, list) else frozenset()


def _without(state: JobState, layer: PixelLayer, wanted: set[int]) -> JobState:
    gone = [stroke for stroke in layer.strokes if wanted & mended(stroke)]
    stay = tuple(stroke for stroke in layer.strokes if not wanted & mended(stroke))
    ids = sorted(frozenset().union(*(mended(stroke) for stroke in gone)))
    others = [state.findings.get(n) for stroke in stay for n in mended(stroke)]
    tiles: dict[Key, np.ndarray | None] = {}
    for stroke in gone:
        for key in stroke.rect.cells(TILE_PX):
            cell = Rect.cell(key, TILE_PX)
            here = cell.intersect(stroke.rect)
            free = ~_covered(others, here)
            pixels = tiles.get(key)
            pixels = layer.tiles.pixels(key).copy() if pixels is None else pixels
            pixels[here.shifted(-cell.x0, -cell.y0).slices][free] = 0
            tiles[key] = pixels
    cleared = layer.tiles.with_tiles(tiles)
    state = edits.update_layer(state, layer.id, tiles=cleared, strokes=stay)
    return edits.decide(state, ids, FindingState.OPEN)


def _covered(findings: Sequence[Finding], rect: Rect) -> np.ndarray:
    """(h, w): where other mends lie."""
    out = np.zeros((rect.height, rect.width), dtype=np.bool_)
    for finding in findings:
        part = finding.rect.intersect(rect)
        if not part.empty:
            out[part.shifted(-rect.x0, -rect.y0).slices] |= finding.coverage(part) > 0
    return out
