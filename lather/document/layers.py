"""Layers as values: frozen, shared between states, changed only by `dataclasses.replace`."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

from lather.core.arrays import FULL
from lather.core.blend.modes import BlendMode
from lather.core.open_enum import OpenEnum
from lather.core.rect import Rect
from lather.document.brief import Weak
from lather.document.strokes import StrokeRecord
from lather.document.tiles import NO_PIXELS, WHITE_MASK, Tiles


class Stage(OpenEnum):
    """The steps of the work, in the order retouchers work."""

    BRIEF = "brief"
    CLEAN = "clean"
    EVEN = "even"
    SCULPT = "sculpt"
    FEATURES = "features"
    HAIR = "hair"
    SHAPE = "shape"
    FINISH = "finish"
    DELIVER = "deliver"

    @property
    def title(self) -> str:
        return self.value.capitalize()


@dataclass(frozen=True, eq=False)
class Mask:
    """Where a layer shows: painted tiles, and whether they count, and which way round."""

    tiles: Tiles = WHITE_MASK
    enabled: bool = True
    inverted: bool = False
    extras: Mapping[str, Any] = field(default_factory=dict)

    @property
    def hides_all(self) -> bool:
        """True if it counts and nothing was painted that would let the layer show."""
        nothing = (FULL if self.inverted else 0) == self.tiles.fill
        return self.enabled and nothing and not self.tiles


@dataclass(frozen=True, eq=False, kw_only=True)
class Layer:
    """What every layer has. `id` stays the same through all of its versions.

    `extras`, here and in masks, the brief and the job: JSON fields that a newer Lather
    wrote and this one does not know; they are kept and saved again.
    """

    id: int
    name: str
    visible: bool = True
    strength: float = 1.0
    mode: BlendMode = BlendMode.NORMAL
    mask: Mask | None = None
    locked: bool = False
    stage: Stage = Stage.CLEAN
    extras: Mapping[str, Any] = field(default_factory=dict)

    @property
    def bounds(self) -> Rect | None:
        """Full-resolution pixels that the layer can change; None means everywhere."""
        return None


@dataclass(frozen=True, eq=False, kw_only=True)
class PhotoLayer(Layer):
    """The photo itself, always lowest, always locked."""

    locked: bool = True


@dataclass(frozen=True, eq=False, kw_only=True)
class PixelLayer(Layer):
    """Painted pixels, and the strokes that made them.

    `weak` says what is softened here; the strength is then proposed by the brief.
    """

    tiles: Tiles = NO_PIXELS
    strokes: tuple[StrokeRecord, ...] = ()
    weak: Weak | None = None

    @property
    def bounds(self) -> Rect | None:
        return self.tiles.bounds()


@dataclass(frozen=True, eq=False, kw_only=True)
class GroupLayer(Layer):
    """Layers treated as one.

    With mode normal its layers act on all that lies below and the group's strength and
    mask mix the outcome in; with any other mode they are composited by themselves first.
    """

    children: tuple[Layer, ...] = field(default=())

    @property
    def isolated(self) -> bool:
        return self.mode is not BlendMode.NORMAL

    @property
    def bounds(self) -> Rect | None:
        rects = [child.bounds for child in self.children]
        if any(rect is None for rect in rects):
            return None
        return Rect.union_of(rect for rect in rects if rect is not None)


@dataclass(frozen=True, eq=False, kw_only=True)
class UnknownLayer(Layer):
    """A layer of a kind or with a mode that only a newer Lather knows: kept, not shown.

    All that is not understood of it lies in `extras`.
    """

    kind: str

    @property
    def bounds(self) -> Rect | None:
        return Rect(0, 0, 0, 0)


AnyLayer = TypeVar("AnyLayer", bound=Layer)


class _Ids:
    """Ever-rising numbers; jobs are loaded on threads of their own."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._last = 0

    def new(self) -> int:
        """A layer id that this process has not used."""
        with self._lock:
            self._last += 1
            return self._last

    def reserve(self, used: int) -> None:
        """Keep `new` clear of ids up to one that was read from a file."""
        with self._lock:
            self._last = max(self._last, used)


_ids = _Ids()
new_id = _ids.new
reserve_ids = _ids.reserve


def with_new_ids(layer: AnyLayer) -> AnyLayer:
    """A copy of a layer, and of all layers in it, under ids of its own."""
    copy = replace(layer, id=new_id())
    if isinstance(copy, GroupLayer):
        return replace(copy, children=tuple(with_new_ids(child) for child in copy.children))
    return copy
