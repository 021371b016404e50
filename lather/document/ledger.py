"""The time ledger: seconds of work, without the pauses."""

from __future__ import annotations

import math

from lather.document.operations.operation import Spent

IDLE_AFTER_S = 60.0


class Ledger:
    """Adds up the time between signs of life that lie close together: whatever the person does,
    with the pen, the mouse or a key, is one.

    Attributes
    ----------
    worked_s : in all, those of earlier sessions included.
    """

    def __init__(self, worked_s: float = 0.0) -> None:
        self.worked_s = self._told_s = worked_s
        self._last_s: float | None = None
        self._lap_s: float | None = None

    def go_on_from(self, worked_s: float) -> None:
        """So much was worked before this session."""
        self.worked_s = self._told_s = worked_s

    def quiet_s(self, now_s: float) -> float:
        """Seconds since the last sign of life."""
        return math.inf if self._last_s is None else now_s - self._last_s

    def sign_of_life(self, now_s: float) -> None:
        """The person did something at `now_s` (any monotonic clock)."""
        if self._lap_s is None:
            self._lap_s = now_s
        if self._last_s is not None:
            gap = now_s - self._last_s
            if 0 < gap <= IDLE_AFTER_S:
                self.worked_s += gap
        self._last_s = now_s

    def spent(self, now_s: float, at_s: float) -> Spent:
        """The time since this was asked last, or since the first sign of life; `at_s` is now, since
        1970."""
        begun_s = now_s if self._lap_s is None else self._lap_s
        worked_s, self._told_s, self._lap_s = self.worked_s - self._told_s, self.worked_s, now_s
        return Spent(round(at_s, 1), round(max(now_s - begun_s, 0.0), 2), round(worked_s, 2))
