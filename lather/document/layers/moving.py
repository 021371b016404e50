"""What all kinds share that show what lies below elsewhere."""

from __future__ import annotations

from abc import abstractmethod

from lather.core.rect import Rect
from lather.core.shape.field import Field
from lather.document.layers.layer import Layer
from lather.document.tiles import Tiles


class MovingLayer(Layer):
    """A kind with a displacement field: its places are those above it. Its strength and mask weaken
    how far things move, not pixels.

    `step_px` is the distance of the field's nodes.
    """

    MOVES = True
    REDRAWN = True
    STRENGTH_MIXES = False
    step_px: int

    @property
    @abstractmethod
    def largest_px(self) -> float:
        """The largest displacement, along x or y, at full strength."""

    @property
    @abstractmethod
    def mask_sigma_px(self) -> float:
        """How far its mask is smoothed: a mask as hard as the displacement is large would fold."""

    @property
    @abstractmethod
    def displaced(self) -> tuple[Tiles, Tiles]:
        """The planes of displacements along x and y; 32768 stays."""

    @property
    @abstractmethod
    def px_per_sample(self) -> float:
        """How far a sample's one goes."""

    @abstractmethod
    def moves_in(self, nodes: Rect) -> bool:
        """False if all the nodes of a rectangle are where they were."""

    @abstractmethod
    def field(self, nodes: Rect, stride: int = 1) -> Field:
        """Nodes of the field at full strength, without the mask. With a stride, a power of two,
        every so many of them, counted in such steps."""


Moving = tuple[MovingLayer, ...]
