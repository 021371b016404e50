"""The whole picture at full resolution, computed in strips so that memory stays bounded."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Samples
from lather.core.blend.composite import on_white, to_pixels
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.layers.layer import Stage, new_id
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tiles import NO_PIXELS, TILE_PX, Key
from lather.render.compositor import render_piece

N_THREADS = 2
LARGE_PX, LARGEST_PX = 768, 1024


def flatten(
    state: JobState,
    depth_bits: int,
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Samples:
    """(H, W, 3) samples of all visible layers, 8 or 16 bit.

    Where nothing shows (a hidden photo), the result is white.
    """
    photo = state.photo
    dtype: type[np.uint8] | type[np.uint16] = np.uint16 if depth_bits == 16 else np.uint8
    out = np.empty((photo.height, photo.width, 3), dtype=dtype)

    def fill(rect: Rect) -> None:
        on_white(render_piece(state, rect), out[rect.slices])

    _for_each_piece(state, fill, progress, cancel, "flattening")
    return out


def merged_layer(
    state: JobState,
    name: str,
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> PixelLayer:
    """Everything that shows, as one new pixel layer."""
    changed: dict[Key, NDArray[np.uint16] | None] = {}

    def add(rect: Rect) -> None:
        pixels = render_piece(state, rect)
        for key in rect.cells(TILE_PX):
            part = Rect.cell(key, TILE_PX).intersect(rect)
            tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
            inside = part.shifted(-rect.x0, -rect.y0).slices
            to_pixels(np.ascontiguousarray(pixels[inside]), tile[: part.height, : part.width])
            changed[key] = tile

    _for_each_piece(state, add, progress, cancel, "merging")
    tiles = NO_PIXELS.with_tiles(changed)
    return PixelLayer(id=new_id(), name=name, stage=Stage.FINISH, tiles=tiles)


def _pieces(state: JobState) -> tuple[int, int]:
    """The side of the pieces that are rendered, in pixels, and how many at a time.

    Where layers look around themselves, a piece is large against how far they look, as far as
    memory allows (docs/layers.md), and then the memory's speed is the limit, not the threads'.
    """
    shown = [layer for layer in state.layers if layer.is_shown]
    reach_px = sum(layer.reach_px(0) for layer in shown)
    if reach_px == 0:
        return TILE_PX, N_THREADS
    if not any(layer.reach_px(0) for layer in shown if not layer.MOVES):
        return LARGE_PX, N_THREADS
    return (LARGE_PX if 2 * reach_px <= LARGE_PX else LARGEST_PX), 1


def _for_each_piece(
    state: JobState,
    work: Callable[[Rect], None],
    progress: Progress,
    cancel: CancelToken | None,
    what: str,
) -> None:
    """Do something for all pieces of the picture, on threads; cancelling stops between them."""
    whole = state.photo.rect
    side_px, n_threads = _pieces(state)
    rects = [Rect.cell(key, side_px).intersect(whole) for key in whole.cells(side_px)]

    def unless_cancelled(rect: Rect) -> None:
        if cancel is not None:
            cancel.check()
        work(rect)

    with ThreadPoolExecutor(n_threads, "flatten") as pool:
        for n_done, _ in enumerate(pool.map(unless_cancelled, rects), start=1):
            progress(n_done / len(rects), what)
