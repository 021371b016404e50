"""The whole picture at full resolution, computed in strips so that memory stays bounded."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Samples
from lather.core.blend.composite import on_white, to_pixels
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.layers.layer import Stage, new_id
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tiles import NO_PIXELS, TILE_PX, Key
from lather.render.compositor import render_piece
from lather.render.rows import strips

N_THREADS = 2
LARGE_PX = 768
LEAST_STRIP_PX, MOST_STRIP_PX = 512, 1024
Work = Callable[[Rect, FloatImage], None]  # (h, w, 4) of a rectangle


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

    def fill(rect: Rect, pixels: FloatImage) -> None:
        on_white(pixels, out[rect.slices])

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

    def add(rect: Rect, pixels: FloatImage) -> None:
        for key in rect.cells(TILE_PX):
            part = Rect.cell(key, TILE_PX).intersect(rect)
            tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
            inside = part.shifted(-rect.x0, -rect.y0).slices
            to_pixels(np.ascontiguousarray(pixels[inside]), tile[: part.height, : part.width])
            changed[key] = tile

    _for_each_piece(state, add, progress, cancel, "merging")
    tiles = NO_PIXELS.with_tiles(changed)
    return PixelLayer(id=new_id(), name=name, stage=Stage.FINISH, tiles=tiles)


def _for_each_piece(
    state: JobState, work: Work, progress: Progress, cancel: CancelToken | None, what: str
) -> None:
    """Do something with all pieces of the picture; cancelling stops between them."""
    def between(share: float) -> None:
        if cancel is not None:
            cancel.check()
        progress(share, what)

    between(0.0)
    shown = [layer for layer in state.layers if layer.is_shown]
    widest_px = max((layer.reach_px(0) for layer in shown if not layer.MOVES), default=0)
    if widest_px:
        _in_strips(state, widest_px, work, between)
    else:
        moves = any(layer.MOVES for layer in shown)
        _on_threads(state, LARGE_PX if moves else TILE_PX, work, between)


def _in_strips(
    state: JobState, widest_px: int, work: Work, between: Callable[[float], None]
) -> None:
    """Where layers look around themselves: one strip after the other, high against how far they
    look, as far as memory allows (docs/layers.md). The memory's speed is the limit, not the
    threads'."""
    height_px = -(-min(max(widest_px, LEAST_STRIP_PX), MOST_STRIP_PX) // TILE_PX) * TILE_PX
    for rect, pixels in strips(state, height_px):
        work(rect, pixels)
        between(rect.y1 / state.photo.height)


def _on_threads(
    state: JobState, side_px: int, work: Work, between: Callable[[float], None]
) -> None:
    whole = state.photo.rect
    rects = [Rect.cell(key, side_px).intersect(whole) for key in whole.cells(side_px)]
    stopped = threading.Event()

    def piece(rect: Rect) -> None:
        if not stopped.is_set():
            work(rect, render_piece(state, rect))

    with ThreadPoolExecutor(N_THREADS, "flatten") as pool:
        try:
            for n_done, _ in enumerate(pool.map(piece, rects), start=1):
                between(n_done / len(rects))
        except BaseException:
            stopped.set()
            raise
