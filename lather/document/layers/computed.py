"""Layers whose pixels are computed from what lies below, by parameters."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from lather.core.rect import Rect
from lather.document.layers.layer import Layer, Parts
from lather.document.layers.parameters import Parameters
from lather.document.tiles import Tiles

PARAMETERS = "parameters"


@dataclass(frozen=True)
class Portrait:
    """What a fresh layer's parameters are measured by: the picture, and its scale and the sigma of
    its grain in L*, if known."""

    picture: Rect
    mm_per_px: float | None
    grain_l: float | None = None

    def lengths_px(self, **lengths_mm: float) -> dict[str, float]:
        """Lengths on the person as pixels of this photo, by name; none where there is no scale."""
        if self.mm_per_px is None:
            return {}
        return {name: round(mm / self.mm_per_px, 1) for name, mm in lengths_mm.items()}


@dataclass(frozen=True, eq=False, kw_only=True)
class ComputedLayer(Layer):
    """What all kinds with parameters share."""

    OWN_FIELDS = frozenset({PARAMETERS})
    TAKES: ClassVar[type[Parameters]]
    TITLE: ClassVar[str]  # as its card and its command say it
    HELP: ClassVar[str]
    PAINTED_WITH: ClassVar[str] = ""  # the tool that its planes are painted with
    NEEDS_GRAIN: ClassVar[bool] = False  # to begin with what was measured
    BY_HAND: ClassVar[bool] = True  # added by a command; else only by what measures its maps
    STARTS_HIDDEN: ClassVar[bool] = False  # to be painted in: it would change too much at once

    parameters: Parameters

    @property
    def own_fields(self) -> Mapping[str, Any]:
        return {PARAMETERS: self.parameters.values}

    @classmethod
    def own_from(cls, parts: Parts) -> dict[str, Any]:
        """The fields of this class from a file; ValueError or TypeError if they are wrong."""
        return {"parameters": cls.TAKES.checked(parts.own.get(PARAMETERS) or {})}

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:  # noqa: ARG003
        """Parameters of a fresh layer that are not at their defaults."""
        return {}

    @classmethod
    def blank(cls, plane: str) -> Tiles:
        """A plane of that name with nothing painted on it."""
        raise KeyError(plane)

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        return cls(**common, **cls.own_from(parts))

    @property
    def bounds(self) -> Rect | None:
        return None
