"""Which feature of the face a reshape brush is over: its size is advised by that."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lather.actions.workbench import Workbench
from lather.document.events import Signal
from lather.tools.table import tool

if TYPE_CHECKING:
    from lather.core.shape.features import Feature


class FeatureWatch:
    """Follows the cursor while a reshape tool is in the hand.

    Signals
    -------
    changed() : `feature` is another one.
    """

    def __init__(self, bench: Workbench) -> None:
        self.feature: Feature | None = None
        self.changed: Signal[()] = Signal()
        self._bench = bench

    def hover(self, x: float, y: float) -> None:
        """The brush is over (x, y) in photo pixels; what it was over last counts until then."""
        found = self._at(x, y)
        if found is not self.feature:
            self.feature = found
            self.changed.emit()

    def _at(self, x: float, y: float) -> Feature | None:
        bench = self._bench
        if bench.job is None or not tool(bench.hand.tool).reshapes:
            return None
        if not bench.state.findings.faces:
            return None
        from lather.tools.starts import feature_at

        return feature_at(bench.state, x, y)
