"""Blood and pigment: two signed maps of what is taken out of the colour of skin."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Self

from lather.core.rect import Rect
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Parts, Pointwise
from lather.document.layers.light import UNCHANGED
from lather.document.layers.parameters import Parameters, number
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import Tiles

BLOOD, PIGMENT = "blood", "pigment"
NOTHING_TAKEN = Tiles(channels=1, fill=UNCHANGED)


@dataclass(frozen=True)
class BloodPigmentParameters(Parameters):
    blood_percent: float = number(
        100.0, title="Blood", unit="%", low=0.0, high=200.0,
        help="How much of the map of blood is evened: redness, and what is too pale.",
    )  # fmt: skip
    pigment_percent: float = number(
        100.0, title="Pigment", unit="%", low=0.0, high=200.0,
        help="How much of the map of pigment is evened: brown patches, and what is too light.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class BloodPigmentLayer(Leaf, Pointwise, ComputedLayer):
    """Takes blood and pigment out of skin, or puts them in, where its maps say so.

    A map holds densities, natural logarithms of light, -1 to 1.
    """

    KIND = "blood_pigment"
    NOUN = "a blood and pigment layer"
    PLANES = {BLOOD: 1, PIGMENT: 1}  # noqa: RUF012
    TAKES = BloodPigmentParameters
    BY_HAND = False
    TITLE = "Blood and pigment"
    HELP = "Evens redness and brown patches by two measured maps; light and texture stay."

    parameters: BloodPigmentParameters = field(default_factory=BloodPigmentParameters)
    blood: Tiles = NOTHING_TAKEN
    pigment: Tiles = NOTHING_TAKEN
    strokes: tuple[StrokeRecord, ...] = ()

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        if any(parts.planes[name].fill != UNCHANGED for name in cls.PLANES):
            raise ValueError("a map of a blood and pigment layer has another middle")
        return cls(
            **common, **cls.own_from(parts), blood=parts.planes[BLOOD],
            pigment=parts.planes[PIGMENT], strokes=parts.strokes,
        )  # fmt: skip

    @classmethod
    def blank(cls, plane: str) -> Tiles:
        assert plane in cls.PLANES
        return NOTHING_TAKEN

    @property
    def planes(self) -> Mapping[str, Tiles]:
        return {BLOOD: self.blood, PIGMENT: self.pigment}

    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        return replace(self, blood=planes[BLOOD], pigment=planes[PIGMENT], strokes=strokes)

    @property
    def bounds(self) -> Rect | None:
        places = [rect for tiles in self.planes.values() if (rect := tiles.bounds()) is not None]
        return Rect.union_of(places) if places else self.blood.bounds()
