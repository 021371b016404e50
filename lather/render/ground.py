"""What all layers lie on: the photo, and where the parts of the portrait are in it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

from lather.core.survey.faces.geometry import FaceGeometry
from lather.document.layers.layer import Layers
from lather.document.layers.moving import Moving
from lather.document.photo import Photo
from lather.document.planes import Regions
from lather.document.state import JobState
from lather.render.space import Space, moving, photo_space, seen_space


@dataclass(frozen=True, eq=False)
class Ground:
    """A photo with the regions that were surveyed in it, and the faces that parts go by.

    `moved` are the layers that moved all of it to where it is meant here, bottom to top.
    """

    photo: Photo
    regions: Regions = field(default_factory=Regions)
    faces: tuple[FaceGeometry, ...] = ()
    moved: Moving = ()

    @cached_property
    def space(self) -> Space:
        """The space that regions are asked for in."""
        return Space(self.photo.rect, self.moved)

    def above(self, layers: Layers) -> Ground:
        """The same, above these layers."""
        more = moving(layers)
        return replace(self, moved=(*self.moved, *more)) if more else self

    def has_same_regions(self, other: Ground) -> bool:
        """True if the regions of both lie at the same places."""
        return (
            self.regions is other.regions and self.faces is other.faces
            and len(self.moved) == len(other.moved)
            and all(map(lambda a, b: a is b, self.moved, other.moved))
        )  # fmt: skip


def ground_of(state: JobState, space: Space) -> Ground:
    """The regions of a job's photo, as they lie in a space."""
    return Ground(state.photo, state.regions, state.findings.faces, space.below)


def photo_ground(state: JobState) -> Ground:
    """The regions of a job's photo, as the photo has them."""
    return ground_of(state, photo_space(state))


def seen_ground(state: JobState) -> Ground:
    """The regions of a job's photo, as they are seen."""
    return ground_of(state, seen_space(state))
