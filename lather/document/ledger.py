"""The time ledger: seconds of work, without the pauses."""

from __future__ import annotations

import math

IDLE_AFTER_S = 60.0


class Ledger:
    """Adds up the time between signs of life that lie close together."""

    def __init__(self, worked_s: float = 0.0) -> None:
        self.worked_s = worked_s
        self._last_s: float | None = None

    def quiet_s(self, now_s: float) -> float:
        """Seconds since the last sign of life."""
        return math.inf if self._last_s is None else now_s - self._last_s

    def sign_of_life(self, now_s: float) -> None:
        """The person did something at `now_s` (any monotonic clock)."""
        if self._last_s is not None:
            gap = now_s - self._last_s
            if 0 < gap <= IDLE_AFTER_S:
                self.worked_s += gap
        self._last_s = now_s
