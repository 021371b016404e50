"""What an operation left different that cannot be done again: its pixels, and whatever else."""

from __future__ import annotations

from dataclasses import dataclass

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
    """

    layers: tuple[Layer | int, ...] | None = None
    brief: Brief | None = None
    findings: Findings | None = None
    planes: Planes | None = None
    trials: tuple[Trial, ...] | None = None

    @property
    def own_layers(self) -> tuple[Layer, ...]:
        return tuple(one for one in self.layers or () if isinstance(one, Layer))
