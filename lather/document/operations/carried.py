"""What an operation left different that cannot be done again: its pixels, and whatever else."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.document.agreed.brief import Brief
from lather.document.agreed.trials import Trial
from lather.document.findings import Findings
from lather.document.layers.layer import Layer
from lather.document.planes import Planes


@dataclass(frozen=True, eq=False)
class Carried:
    """Parts of a state, as they were after the operation.

    Attributes
    ----------
    layers : all of the top level, bottom to top; of those that stayed the same the id. None: all
        of them stayed.
    brief, findings, planes, trials : None if they stayed.
    extras : fields of a newer Lather, kept and saved again.
    """

    layers: tuple[Layer | int, ...] | None = None
    brief: Brief | None = None
    findings: Findings | None = None
    planes: Planes | None = None
    trials: tuple[Trial, ...] | None = None
    extras: Mapping[str, Any] = field(default_factory=dict)

    @property
    def own_layers(self) -> tuple[Layer, ...]:
        return tuple(one for one in self.layers or () if isinstance(one, Layer))
