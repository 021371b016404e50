"""A split's two parts as ordinary layers, for programs that know no split.

Tone is laid on in mode normal. Texture t, signed, is written as 0.5 + t / 2 and laid on in mode
linear light, base + 2 x source - 1: together they are the split's picture, within a 16-bit step.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.blend.composite import to_pixels
from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.core.tone.split import MIDDLE
from lather.core.work import CancelToken, Progress, no_progress
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import new_id
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.state import JobState
from lather.document.tiles import NO_PIXELS, TILE_PX, Key
from lather.document.tree import inserted_above
from lather.errors import EditError
from lather.render.compositor import render_with

TONE_NAME, TEXTURE_NAME = "Tone: normal", "Texture: linear light"


def with_two_layers(
    state: JobState, split_id: int, *,
    progress: Progress = no_progress, cancel: CancelToken | None = None,
) -> JobState:
    """The split hidden, and above it a group of its parts as pixels; EditError if it is none."""
    split = state.layer(split_id)
    if not isinstance(split, SplitLayer):
        raise EditError(f"'{split.name}' stays as it is", "it is no split", "choose a split")

    def report(part: int) -> Progress:
        return lambda share, what: progress((part + share) / 2, what)

    tone = _pixels(state, split, Part.TONE, lambda pixels: pixels, report(0), cancel)
    texture = _pixels(state, split, Part.TEXTURE, _halved, report(1), cancel)
    stage = split.stage
    group = GroupLayer(
        id=new_id(), name=f"{split.name} as layers", strength=split.strength, mask=split.mask,
        limits=split.limits, children=(
            PixelLayer(id=new_id(), name=TONE_NAME, tiles=NO_PIXELS.with_tiles(tone), stage=stage),
            PixelLayer(id=new_id(), name=TEXTURE_NAME, tiles=NO_PIXELS.with_tiles(texture),
                       mode=BlendMode.LINEAR_LIGHT, stage=stage),
        ), stage=stage,
    )  # fmt: skip
    hidden = edits.set_visible(state, split_id, False)
    layers = inserted_above(hidden.layers, split_id, group)
    return replace(hidden, layers=layers, active_id=group.id)


def _halved(texture: FloatImage) -> FloatImage:
    texture[..., :3] = MIDDLE + (texture[..., :3] - MIDDLE) / 2
    return texture


def _pixels(
    state: JobState, split: SplitLayer, part: Part, made: Callable[[FloatImage], FloatImage],
    progress: Progress, cancel: CancelToken | None,
) -> dict[Key, NDArray[np.uint16] | None]:
    whole = state.photo.rect
    stack = split.stack(part)
    keys = list(whole.cells(TILE_PX))
    tiles: dict[Key, NDArray[np.uint16] | None] = {}
    for n, key in enumerate(keys):
        if cancel is not None:
            cancel.check()
        cell = Rect.cell(key, TILE_PX).intersect(whole)
        tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
        pixels = np.ascontiguousarray(made(render_with(state, stack, cell)))
        to_pixels(pixels, tile[: cell.height, : cell.width])
        tiles[key] = tile
        progress((n + 1) / len(keys), f"writing the {part.value}")
    return tiles
