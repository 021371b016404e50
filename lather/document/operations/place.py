"""A place where something was done: on the photo, and relative to the face or to the picture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.bounds import FARTHEST_PX
from lather.core.survey.faces.anchors import FacePlace


@dataclass(frozen=True)
class Place:
    """A place.

    Attributes
    ----------
    x, y : px of the photo.
    face : where that is on the person; None where no face was measured.
    share : where it is on the picture, 0-1 across and down, if there is no face.
    extras : fields of a newer Lather, kept and saved again.
    """

    x: float
    y: float
    face: FacePlace | None = None
    share: tuple[float, float] | None = None
    extras: Mapping[str, Any] = field(default_factory=dict, compare=False)

    def __post_init__(self) -> None:
        if not (abs(self.x) <= FARTHEST_PX and abs(self.y) <= FARTHEST_PX):
            raise ValueError(f"({self.x}, {self.y}) is no place")
