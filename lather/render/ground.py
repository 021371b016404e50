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


@dataclass(frozen=True)
class RegionsThere:
    """Regions, the faces that parts go by, and what moved them to where they are meant, bottom to
    top; equal where they lie at the same places."""

    regions: Regions = field(default_factory=Regions)
    faces: tuple[FaceGeometry, ...] = ()
    moved: Moving = ()


@dataclass(frozen=True, eq=False)
class Ground:
    """A photo with the regions that were surveyed in it, as they lie in one space."""

    photo: Photo
    there: RegionsThere = field(default_factory=RegionsThere)

    @property
    def regions(self) -> Regions:
        return self.there.regions

    @property
    def faces(self) -> tuple[FaceGeometry, ...]:
        return self.there.faces

    @property
    def moved(self) -> Moving:
        """What moved the regions, bottom to top."""
        return self.there.moved

    @cached_property
    def space(self) -> Space:
        """The space that regions are asked for in."""
        return Space(self.photo.rect, self.moved)

    def above(self, layers: Layers) -> Ground:
        """The same, above these layers."""
        more = moving(layers)
        if not more:
            return self
        return replace(self, there=replace(self.there, moved=(*self.moved, *more)))


def ground_of(state: JobState, space: Space) -> Ground:
    """The regions of a job's photo, as they lie in a space."""
    there = RegionsThere(state.regions, state.findings.faces, space.below)
    return Ground(state.photo, there)


def photo_ground(state: JobState) -> Ground:
    """The regions of a job's photo, as the photo has them."""
    return ground_of(state, photo_space(state))


def seen_ground(state: JobState) -> Ground:
    """The regions of a job's photo, as they are seen."""
    return ground_of(state, seen_space(state))
