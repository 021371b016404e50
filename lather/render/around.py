"""What lies around the layer being painted, kept while a stroke goes on.

Below it, one picture. Above it, neighbouring layers that only cover become one sheet:
covering is associative (Porter, Duff 1984). A layer of another mode depends on all that lies
below and is laid anew with every frame.
"""

from __future__ import annotations

import threading
from collections import OrderedDict

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.blend.composite import composite
from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.core.two_parts import in_two_parts
from lather.document.layers.layer import Layer, Layers
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import top_level_index
from lather.render.compositor import kept_picture, render, scene_of
from lather.render.ground import Ground, photo_ground
from lather.render.layers.scene import Base, Patch, Scene, transparent
from lather.render.layers.table import ADD
from lather.render.stack import lay_on, paint

MOST_TILES = 160  # 1 MB each
BELOW = -1  # stands for the layers below among the numbers of the runs above

Place = tuple[int, int, Key]  # which layers, level, cell


class AroundCache:
    """Renders a picture of which one layer changes; kept are tiles of all others.

    They are valid as long as the other layers are the same objects.
    """

    def __init__(self, most_tiles: int = MOST_TILES) -> None:
        self._most_tiles = most_tiles
        self._ground: Ground | None = None
        self._below: Layers = ()
        self._above: Layers = ()
        self._runs: list[Layers] = []
        self._tiles: OrderedDict[Place, FloatImage | None] = OrderedDict()
        self._active_id = 0
        self._lock = threading.Lock()  # a frame is rendered on two threads
        self._corrections: OrderedDict[tuple[int, Key], tuple[Layers, FloatImage]] = OrderedDict()

    def render(
        self, state: JobState, before: JobState, rect: Rect, level: int
    ) -> FloatImage:
        """Like `render`, from what is kept of the layers around the active one.

        Where a layer above looks around itself, what it changed in `before`, the state that the
        stroke began with, is added instead: the view is rendered afresh once the pen is lifted.
        """
        index = top_level_index(state.layers, state.active_id)
        scene = scene_of(photo_ground(state), level)
        self._become(scene.ground, state.layers[:index], state.layers[index + 1 :])
        self._active_id = state.layers[index].id
        active = state.layers[index : index + 1]
        corrected = any(_looks_around(layer, level) for layer in self._above)
        out = np.empty((rect.height, rect.width, 4), dtype=np.float32)

        def rows(first: int, last: int) -> None:
            part = Rect(rect.x0, rect.y0 + first, rect.x1, rect.y0 + last)
            out[first:last] = self._without_reach(active, scene, part)
            if corrected:
                self._correct(out[first:last], before, scene, part)

        in_two_parts(rows, rect.height, rect.area)
        return out

    def _without_reach(self, active: Layers, scene: Scene, rect: Rect) -> FloatImage:
        """Without the layers above the active one that look around themselves; but what a reshape
        moves is moved."""
        return self._up_to(len(self._runs), active, scene, rect)

    def _up_to(self, n_runs: int, active: Layers, scene: Scene, rect: Rect) -> FloatImage:
        """The active layer and so many of the runs above it."""
        moves = [n for n in range(n_runs) if _redrawn(self._runs[n], scene.level)]
        if not moves:
            base, scene = self._read_below(scene), scene.moved_by(self._below)
            out, first = paint(active, scene, base, rect), 0
            scene = scene.moved_by(active)
        else:
            first = moves[-1] + 1
            layer = self._runs[moves[-1]][0]
            wide = rect.grown(layer.reach_in_px(rect, scene.level)).intersect(scene.picture)
            below = Patch(wide, self._up_to(moves[-1], active, scene, wide))
            out, inside = below.part(rect), rect.intersect(scene.picture)
            if not inside.empty:
                part = out[inside.shifted(-rect.x0, -rect.y0).slices]
                ADD[type(layer)](layer, scene, part, inside, below)
            lower = (one for run in self._runs[:first] for one in run)
            scene = scene.moved_by((*self._below, *active, *lower))
        for number, run in enumerate(self._runs[first:n_runs], start=first):
            self._lay_run(number, run, scene, out, rect)
        return out

    def _read_below(self, scene: Scene) -> Base:
        def below(wide: Rect) -> FloatImage:
            out = np.empty((wide.height, wide.width, 4), dtype=np.float32)
            for key in wide.cells(TILE_PX):
                tile = self._tile(BELOW, self._below, scene, key)
                inside, there = _overlap(key, wide)
                out[there] = 0 if tile is None else tile[inside]
            return out

        return below

    def _lay_run(
        self, number: int, run: Layers, scene: Scene, out: FloatImage, rect: Rect
    ) -> None:
        if len(run) == 1:
            lay_on((one for one in run if not one.reach_px(scene.level)), scene, out, rect)
            return
        for key in rect.cells(TILE_PX):
            sheet = self._tile(number, run, scene, key)
            if sheet is not None:
                inside, there = _overlap(key, rect)
                composite(out[there], sheet[inside])

    def _correct(self, out: FloatImage, before: JobState, scene: Scene, rect: Rect) -> None:
        for key in rect.cells(TILE_PX):
            inside, there = _overlap(key, rect)
            out[there] += self._correction(before, scene, key)[inside]

    def _correction(self, before: JobState, scene: Scene, key: Key) -> FloatImage:
        """(256, 256, 4): what the layers with a reach changed; if that is not known, earlier."""
        place = scene.level, key
        made_of, kept = self._corrections.get(place, (None, None))
        if made_of is not before.layers or kept is None:
            picture = kept_picture(before, scene.level, key)
            if picture is None and kept is None:
                picture = render(before, Rect.cell(key, TILE_PX), scene.level)
            if picture is not None:
                # None, if the stroke made a layer for itself.
                active = tuple(layer for layer in before.layers if layer.id == self._active_id)
                plain = self._without_reach(active, scene, Rect.cell(key, TILE_PX))
                kept = picture - plain
                kept[..., 3] = 0
                with self._lock:
                    self._corrections[place] = before.layers, kept
                    while len(self._corrections) > self._most_tiles:
                        self._corrections.popitem(last=False)
        assert kept is not None
        return kept

    def _become(self, ground: Ground, below: Layers, above: Layers) -> None:
        holds = self._ground is not None and ground.there == self._ground.there
        if not (holds and below == self._below and above == self._above):
            self._ground, self._below, self._above, self._runs = ground, below, above, _runs(above)
            self._tiles.clear()
            self._corrections.clear()

    def _tile(
        self, number: int, layers: Layers, scene: Scene, key: Key
    ) -> FloatImage | None:
        """Layers by themselves in one cell; None where they show nothing."""
        place = number, scene.level, key
        with self._lock:
            if place in self._tiles:
                self._tiles.move_to_end(place)
                return self._tiles[place]
        made = paint(layers, scene, transparent, Rect.cell(key, TILE_PX))
        tile = made if made[..., 3].any() else None
        with self._lock:
            self._tiles[place] = tile
            while len(self._tiles) > self._most_tiles:
                self._tiles.popitem(last=False)
        return tile


def _overlap(key: Key, rect: Rect) -> tuple[tuple[slice, slice], tuple[slice, slice]]:
    """Where a cell and a rectangle overlap: in the cell, and in the rectangle."""
    cell = Rect.cell(key, TILE_PX)
    part = cell.intersect(rect)
    return part.shifted(-cell.x0, -cell.y0).slices, part.shifted(-rect.x0, -rect.y0).slices


def _runs(layers: Layers) -> list[Layers]:
    """Layers bottom to top, those in a row that only cover together."""
    runs: list[Layers] = []
    for layer in layers:
        if runs and _covers(layer) and _covers(runs[-1][-1]):
            runs[-1] = (*runs[-1], layer)
        else:
            runs.append((layer,))
    return runs


def _looks_around(layer: Layer, level: int) -> bool:
    """True for what is corrected by what it did before, instead of being done again."""
    return layer.is_shown and layer.reach_px(level) > 0 and not layer.REDRAWN


def _redrawn(run: Layers, level: int) -> bool:
    (layer, *_) = run
    return layer.REDRAWN and layer.is_shown and layer.reach_px(level) > 0


def _covers(layer: Layer) -> bool:
    return isinstance(layer, PixelLayer) and layer.mode is BlendMode.NORMAL and (
        layer.limits.are_open
    )
