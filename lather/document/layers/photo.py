"""The photo as the lowest layer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self

from lather.core.rect import Rect
from lather.document.layers.layer import Leaf, Parts, Plain, Pointwise, Unpainted


@dataclass(frozen=True, eq=False, kw_only=True)
class PhotoLayer(Leaf, Unpainted, Plain, Pointwise):
    """The photo itself, always lowest, always locked."""

    KIND = "photo"
    NOUN = "the photo, which never changes"
    IS_FIXED = True

    locked: bool = True

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:  # noqa: ARG003
        return cls(**{**common, "locked": True})

    @property
    def bounds(self) -> Rect | None:
        return None
