"""Sharpen: a row for each parameter, the grain measured on the picture."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.layers.sharpen import SharpenLayer
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.tools.advice import Advice
from lather.ui.layers.cards.rows import Card

AROUND = 1.3  # times the measured grain: what is advised


class SharpenCard(Card):
    """Advises the grain that is left alone; a measurement aside."""

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        super().__init__(bench, SharpenLayer)
        self._executor = executor
        self._measured_on: object = None

    def show_picture(self) -> None:
        state = self.bench.state
        if self._measured_on is not state.photo:
            self._measured_on = state.photo
            self._executor.post(lambda: _grain_l(state), self._advise, priority=3)

    def _advise(self, grain_l: float) -> None:
        reason = f"this picture's grain has a sigma of {grain_l:.2f} L*"
        self.rulers["grain_l"].set_advice(Advice(grain_l / AROUND, grain_l * AROUND, reason))


def _grain_l(state: JobState) -> float:
    from lather.assist.grain import measured_grain_l  # SciPy is not loaded before

    return measured_grain_l(state)


def make(bench: Workbench, executor: Executor) -> Card:
    return SharpenCard(bench, executor)
