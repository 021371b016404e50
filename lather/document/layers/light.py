"""Light and shade: one signed map of where the picture is made lighter or darker."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Self

from lather.core.rect import Rect
from lather.core.tone.light import SOFT_LIGHT, TWO_CURVES
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Parts, Pointwise
from lather.document.layers.parameters import Parameters, choice
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import Tiles

MAP, UNCHANGED = "map", 32768  # of 65535: neither lighter nor darker
NO_LIGHT = Tiles(channels=1, fill=UNCHANGED)


@dataclass(frozen=True)
class LightParameters(Parameters):
    shown_as: str = choice(
        SOFT_LIGHT, title="Shown as", options=(SOFT_LIGHT, TWO_CURVES),
        help="Soft light keeps black and white; the curves lift and lower the middle alike.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class LightLayer(Leaf, Pointwise, ComputedLayer):
    """A map painted with Lighten and Darken."""

    KIND = "light"
    NOUN = "a light and shade layer"
    PLANES = {MAP: 1}  # noqa: RUF012
    TAKES = LightParameters
    TITLE = "Light and shade"
    PAINTED_WITH = "lighten"
    HELP = "Painted with Lighten and Darken: one map of more and less light."

    parameters: LightParameters = field(default_factory=LightParameters)
    map: Tiles = NO_LIGHT
    strokes: tuple[StrokeRecord, ...] = ()

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        if parts.planes[MAP].fill != UNCHANGED:
            raise ValueError("the map of a light and shade layer has another middle")
        return cls(**common, **cls.own_from(parts), map=parts.planes[MAP], strokes=parts.strokes)

    @classmethod
    def blank(cls, plane: str) -> Tiles:
        assert plane == MAP
        return NO_LIGHT

    @property
    def planes(self) -> Mapping[str, Tiles]:
        return {MAP: self.map}

    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        return replace(self, map=planes[MAP], strokes=strokes)

    @property
    def bounds(self) -> Rect | None:
        return self.map.bounds()
