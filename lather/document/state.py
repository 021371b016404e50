"""The state of a job: photo, layers, brief and findings at one moment, as a value.

Because a state never changes, it is its own snapshot for rendering and saving on other threads.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

from lather.core.survey.findings.finding import Kind
from lather.document.agreed.brief import Brief
from lather.document.agreed.trials import Trial
from lather.document.findings import Findings
from lather.document.layers.layer import Layer, Layers, new_id
from lather.document.layers.photo import PhotoLayer
from lather.document.operations.operation import NOTHING_DONE, Operations
from lather.document.photo import Photo
from lather.document.planes import Planes, Regions
from lather.document.tiles import Tiles
from lather.document.tree import find


class Attachments(Protocol):
    """Named contents of a job file that only a newer Lather understands."""

    def __contains__(self, name: str) -> bool: ...

    def read(self, name: str, most_bytes: int) -> bytes: ...


@dataclass(frozen=True, eq=False)
class JobState:
    """Everything that undo can bring back. Layers run bottom to top.

    Attributes
    ----------
    area : limits the tools to where it is (0-65535); None lets them work everywhere.
    reference : an area whose colour others are matched to; None: a good cheek's.
    trials : blinded tests of the retouch, oldest first.
    unknown_planes : planes of a newer Lather, kept and saved again.
    extras : fields of a newer Lather; those of the photo under 'photo'.
    attachments : what the unknown fields refer to; None if they refer to nothing.
    operations : what was done, in order, that led to this.
    """

    photo: Photo
    layers: Layers
    active_id: int
    brief: Brief = field(default_factory=Brief)
    findings: Findings = field(default_factory=Findings)
    area: Tiles | None = None
    reference: Tiles | None = None
    regions: Regions = field(default_factory=Regions)
    trials: tuple[Trial, ...] = ()
    unknown_planes: Mapping[str, Tiles] = field(default_factory=dict)
    extras: Mapping[str, Any] = field(default_factory=dict)
    attachments: Attachments | None = None
    operations: Operations = NOTHING_DONE

    @property
    def planes(self) -> Planes:
        """The state's own planes, beside those of its layers."""
        return Planes(self.area, self.reference, self.regions, self.unknown_planes)

    @property
    def work(self) -> tuple[object, ...]:
        """What there is to save: equal for states that are worth the same file."""
        return (self.layers, self.brief, self.findings, self.area, self.reference, self.regions,
                self.trials)  # fmt: skip

    @property
    def surveyed(self) -> bool:
        """True once the portrait was measured; a scale set by hand alone is no survey."""
        found = self.findings
        measured = any(finding.kind is not Kind.MARK for finding in found.items)
        measured = measured or bool(found.faces or self.regions.masks)
        return found.mm_per_px is not None and measured

    @property
    def active(self) -> Layer:
        layer = find(self.layers, self.active_id)
        return layer if layer is not None else self.layers[0]

    def layer(self, layer_id: int) -> Layer:
        """The layer of that id; KeyError if it is gone."""
        layer = find(self.layers, layer_id)
        if layer is None:
            raise KeyError(layer_id)
        return layer

    @property
    def as_photographed(self) -> JobState:
        """The photo alone, with all that is known of it; shown even where it is hidden."""
        photo = self.layers[0]
        shown = photo if photo.visible else replace(photo, visible=True)
        return replace(self, layers=(shown,), active_id=photo.id)

    @property
    def delivery_scale(self) -> float:
        """Size at delivery as a share of full size, at most 1."""
        wanted = self.brief.delivery_long_side_px
        if wanted is None:
            return 1.0
        return min(1.0, wanted / max(self.photo.width, self.photo.height))


def new_state(photo: Photo) -> JobState:
    """A photo with nothing done to it."""
    layer = PhotoLayer(id=new_id(), name=photo.title)
    return JobState(photo, (layer,), layer.id)
