"""How fast frames come on this machine, and so how fine they can be."""

from __future__ import annotations

from collections import deque
from statistics import median

FRAME_MS = 22.0  # of the 33 of a frame: the rest are the step, its rows and the paint
FINER_BELOW, COARSER_ABOVE = 0.95, 1.2  # times that; between them nothing changes
N_REMEMBERED = 3
LEAST_GAIN = 1.2  # of a coarser frame; with less it is not worth being coarse
COARSE_GAIN = 3.4  # how much less a frame of half the size costs; measured anew as soon as it is


class Pace:
    """Chooses between a view's own level and the next coarser one, by what frames took.

    What lies between the two bars changes nothing, so that the picture does not flicker. Before
    anything is known it is `coarser` levels coarser.
    """

    def __init__(self, budget_ms: float = FRAME_MS, coarser: int = 1) -> None:
        self._budget_ms = budget_ms
        self._ns_per_px: dict[int, deque[float]] = {}
        self._coarser = coarser

    @property
    def coarser(self) -> int:
        """Levels below the view's own: 0 or 1."""
        return self._coarser

    def note(self, coarser: int, n_px: int, took_s: float) -> None:
        """A frame so many levels coarser than the view, of so many pixels of the view."""
        taken = self._ns_per_px.setdefault(coarser, deque(maxlen=N_REMEMBERED))
        taken.append(1e9 * took_s / max(n_px, 1))

    def choose(self, n_px: int) -> int:
        """Levels below the view's own for a frame of so many of its pixels."""
        expected_ms = self._expected_ms(n_px)
        if self._gains_little():
            self._coarser = 0
        elif expected_ms is not None:
            if expected_ms > COARSER_ABOVE * self._budget_ms:
                self._coarser = 1
            elif expected_ms < FINER_BELOW * self._budget_ms:
                self._coarser = 0
        return self._coarser

    def _gains_little(self) -> bool:
        """True if a coarser frame is hardly faster: most of it is exact, around the focus."""
        own, coarse = (self._ns_per_px.get(n) for n in (0, 1))
        return own is not None and coarse is not None and (
            median(own) < LEAST_GAIN * median(coarse)
        )

    def _expected_ms(self, n_px: int) -> float | None:
        """What a frame of the view's own level would take, as far as frames tell: those of that
        level, if there were some."""
        for coarser, gain in ((0, 1.0), (1, COARSE_GAIN)):
            if coarser in self._ns_per_px:
                return median(self._ns_per_px[coarser]) * gain * n_px / 1e6
        return None
