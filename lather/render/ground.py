"""What all layers lie on: the photo, and where the parts of the portrait are in it."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.core.survey.faces.geometry import FaceGeometry
from lather.document.photo import Photo
from lather.document.planes import Regions
from lather.document.state import JobState


@dataclass(frozen=True, eq=False)
class Ground:
    """A photo with the regions that were surveyed in it, and the faces that parts go by."""

    photo: Photo
    regions: Regions = field(default_factory=Regions)
    faces: tuple[FaceGeometry, ...] = ()

    def has_same_regions(self, other: Ground) -> bool:
        return self.regions is other.regions and self.faces is other.faces


def ground_of(state: JobState) -> Ground:
    return Ground(state.photo, state.regions, state.findings.faces)
