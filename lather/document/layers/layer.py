"""What all layers have: values, frozen, shared between states, changed only by `replace`.

A kind of layer is one class in a file of its own in this folder, and one row in `table.py`. Nothing
outside asks which class a layer is to go through the tree, save, compare or render it: it asks the
layer for its children and planes, and the tables of `render/layers` and `ui/layers/cards` for the
rest.
"""

from __future__ import annotations

import math
import threading
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Self, TypeVar

from lather.core.arrays import FULL
from lather.core.blend.modes import BlendMode
from lather.core.bounds import LAYER, refuse_beyond
from lather.core.open_enum import OpenEnum
from lather.core.rect import Rect
from lather.document.layers.limits import OPEN, Limits
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import WHITE_MASK, Key, Tiles


class Stage(OpenEnum):
    """A step of the work, as in files; what is in it, and their order, say the tables of stages."""

    BRIEF = "brief"
    CLEAN = "clean"
    EVEN = "even"
    SCULPT = "sculpt"
    FEATURES = "features"
    HAIR = "hair"
    SHAPE = "shape"
    FINISH = "finish"
    DELIVER = "deliver"


@dataclass(frozen=True, eq=False)
class Mask:
    """Where a layer shows: painted tiles, and whether they count, and which way round."""

    tiles: Tiles = WHITE_MASK
    enabled: bool = True
    inverted: bool = False
    extras: Mapping[str, Any] = field(default_factory=dict)

    @property
    def shows_all(self) -> bool:
        """True if it lets the layer show everywhere."""
        everything = (0 if self.inverted else FULL) == self.tiles.fill
        return not self.enabled or (everything and not self.tiles)

    @property
    def hides_all(self) -> bool:
        """True if it counts and nothing was painted that would let the layer show."""
        nothing = (FULL if self.inverted else 0) == self.tiles.fill
        return self.enabled and nothing and not self.tiles


@dataclass(frozen=True, eq=False, kw_only=True)
class Layer(ABC):
    """What every layer has. `id` stays the same through all of its versions.

    `extras`, here and in masks, the brief and the job: JSON fields that a newer Lather
    wrote and this one does not know; they are kept and saved again. `odd`: what does not fit of the
    fields here, as it was read, saved again until it is set.
    """

    KIND: ClassVar[str]  # as in files
    NOUN: ClassVar[str]  # "it is ...", where something else was needed
    PLANES: ClassVar[Mapping[str, int]]  # what can be painted on it, and its channels
    OWN_FIELDS: ClassVar[frozenset[str]]  # the names of `own_fields`
    IS_FIXED: ClassVar[bool] = False  # it cannot be moved, copied or taken out by itself
    BLENDS: ClassVar[bool] = True  # False: modes and limits mean nothing to it
    REACH_VARIES: ClassVar[bool] = False  # with every stroke on it
    HOLDS_PARTS: ClassVar[bool] = False  # layers in it lie beside each other, not on each other
    MOVES: ClassVar[bool] = False  # it shows what lies below elsewhere
    REDRAWN: ClassVar[bool] = False  # in a stroke's frames, though it looks around itself
    STRENGTH_MIXES: ClassVar[bool] = True  # at a half, half of what lies below is seen

    id: int
    name: str
    visible: bool = True
    strength: float = 1.0
    mode: BlendMode = BlendMode.NORMAL
    mask: Mask | None = None
    limits: Limits = OPEN
    locked: bool = False
    stage: Stage = Stage.CLEAN
    extras: Mapping[str, Any] = field(default_factory=dict)
    odd: Mapping[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        refuse_beyond(f"the layer '{self.name}'"[:80], LAYER, self)

    @property
    def kind(self) -> str:
        return self.KIND

    @property
    def is_shown(self) -> bool:
        """False if it cannot change the picture, whatever it holds."""
        return self.visible and self.strength > 0

    @property
    @abstractmethod
    def children(self) -> Layers:
        """The layers in it, bottom to top."""

    @abstractmethod
    def with_children(self, children: Layers) -> Self:
        """A copy that holds other layers."""

    @property
    def held(self) -> Layers:
        """All layers that are kept in it, those included that nobody can reach."""
        return self.children

    @property
    @abstractmethod
    def planes(self) -> Mapping[str, Tiles]:
        """What is painted on it, by names as in files; its mask is none of them."""

    @abstractmethod
    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        """A copy with other planes, and the strokes that painted them."""

    def reach_in_px(self, rect: Rect, level: int) -> int:  # noqa: ARG002
        """The same, for the pixels of a rectangle of the level: at most as far."""
        return self.reach_px(level)

    def samples_rect(self, rect: Rect) -> Rect:
        """The samples of its planes that lie on pixels of the picture."""
        return rect

    def painted_cells(self) -> set[Key]:
        """Tiles of the picture that its planes can change."""
        return {key for tiles in self.planes.values() for key in tiles.tiles}

    def repainted_cells(self, was: Layer) -> set[Key]:
        """Tiles of the picture that its planes change otherwise than those of an earlier self."""
        planes = self.planes
        return {
            key for name, tiles in was.planes.items() for key in tiles.changed_keys(planes[name])
        }

    @property
    def mask_reach_px(self) -> int:
        """How far around a place its mask counts; 0: only there."""
        return 0

    def without_paint(self) -> Self:
        """A copy on whose planes nothing is painted."""
        blank = {name: replace(tiles, tiles={}) for name, tiles in self.planes.items()}
        return self.with_painted(blank, ())

    @property
    @abstractmethod
    def strokes(self) -> tuple[StrokeRecord, ...]:
        """Those that painted its planes, in order."""

    @property
    @abstractmethod
    def own_fields(self) -> Mapping[str, Any]:
        """What only this kind has, as JSON, but for planes, strokes and layers in it."""

    @classmethod
    @abstractmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        """A layer from what all have and what its kind has; ValueError, KeyError or TypeError if
        that is wrong."""

    @property
    @abstractmethod
    def bounds(self) -> Rect | None:
        """Full-resolution pixels that the layer can change; None means everywhere."""

    @property
    def finest_px(self) -> float:
        """The width of the finest detail that it is there for; infinite: it is no matter of detail,
        and shows on any level what it does."""
        return min((child.finest_px for child in self.children if child.is_shown), default=math.inf)

    @abstractmethod
    def reach_px(self, level: int) -> int:
        """How far around a pixel of a level it looks at what lies below; 0: only at it."""


Layers = tuple[Layer, ...]


@dataclass(frozen=True)
class Parts:
    """What a layer is made of, beside what all layers have."""

    own: Mapping[str, Any] = field(default_factory=dict)
    planes: Mapping[str, Tiles] = field(default_factory=dict)
    strokes: tuple[StrokeRecord, ...] = ()
    children: Layers = ()


class Leaf(Layer):
    """A kind that holds no layers."""

    @property
    def children(self) -> Layers:
        return ()

    def with_children(self, children: Layers) -> Self:
        assert not children
        return self


class Unpainted(Layer):
    """A kind that has no planes."""

    PLANES: ClassVar[Mapping[str, int]] = {}

    @property
    def strokes(self) -> tuple[StrokeRecord, ...]:
        return ()

    @property
    def planes(self) -> Mapping[str, Tiles]:
        return {}

    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        assert not planes and not strokes
        return self


class Plain(Layer):
    """A kind that says nothing but what all layers say."""

    OWN_FIELDS: ClassVar[frozenset[str]] = frozenset()

    @property
    def own_fields(self) -> Mapping[str, Any]:
        return {}


class Pointwise(Layer):
    """A kind of which a pixel depends on the pixel below it alone."""

    def reach_px(self, level: int) -> int:  # noqa: ARG002
        return 0


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
    return copy.with_children(tuple(with_new_ids(child) for child in copy.children))
