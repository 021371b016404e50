"""How fast frames come on this machine, and so how good they can be."""

from __future__ import annotations

from collections import deque
from enum import IntEnum
from statistics import median_low

FRAME_MS = 22.0  # of the 33 of a frame: the rest are the step, its rows and the paint
BETTER_BELOW, WORSE_ABOVE = 0.95, 1.2  # times that; between them nothing changes
N_REMEMBERED = 3
LEAST_FRAMES = 2  # of a grade before it is given up: the first one makes what the others use again
USUAL_NS_PER_PX = 150  # of an exact frame, before anything is known
LEAST_GAIN = 1.2  # of a worse frame; with less it is not worth being worse


class Grade(IntEnum):
    """What a frame is, the best first."""

    EXACT = 0
    HELD = 1  # filters above what is dragged change what they did when the drag began
    COARSE = 2  # that, and of the next coarser level


# How much more the next better grade takes, until it was measured.
_MORE = {Grade.HELD: 2.5, Grade.COARSE: 3.4}


class Pace:
    """Chooses the grade of frames by what the last ones took.

    What lies between the two bars changes nothing, so that the picture does not flicker. Before
    anything is known small frames are of the best grade, others of the `first`; of `grades` only.
    """

    def __init__(
        self, budget_ms: float = FRAME_MS, first: Grade = Grade.COARSE,
        grades: tuple[Grade, ...] = tuple(Grade),
    ) -> None:  # fmt: skip
        self._budget_ms = budget_ms
        self._grades = grades
        self._grade = first
        self._ns_per_px: dict[Grade, deque[float]] = {}

    def note(self, grade: Grade, n_px: int, took_s: float) -> None:
        """A frame of so many pixels of the view."""
        taken = self._ns_per_px.setdefault(grade, deque(maxlen=N_REMEMBERED))
        taken.append(1e9 * took_s / max(n_px, 1))

    def choose(self, n_px: int) -> Grade:
        """The grade of a frame of so many pixels of the view."""
        at = self._grades.index(self._grade)
        own = self._expected_ms(self._grade, n_px)
        if not self._ns_per_px and USUAL_NS_PER_PX * n_px < 1e6 * self._budget_ms:
            at = 0
        elif at > 0 and self._can_be_better(self._grades[at - 1], own, n_px):
            at -= 1
        elif own is not None and self._should_be_worse(at, own, n_px):
            at += 1
        self._grade = self._grades[at]
        return self._grade

    def _should_be_worse(self, at: int, own_ms: float, n_px: int) -> bool:
        """True if the grade had its chance and is too slow, and any worse one is quicker."""
        is_too_slow = own_ms > WORSE_ABOVE * self._budget_ms
        had_its_chance = len(self._ns_per_px[self._grade]) >= LEAST_FRAMES
        return is_too_slow and had_its_chance and any(
            not self._hardly_slower(own_ms, worse, n_px) for worse in self._grades[at + 1 :]
        )

    def _can_be_better(self, better: Grade, own: float | None, n_px: int) -> bool:
        expected = self._expected_ms(better, n_px)
        if expected is None:
            expected = None if own is None else own * _MORE[self._grade]
        if expected is None:
            return False
        fits = expected < BETTER_BELOW * self._budget_ms
        is_last = self._grade is self._grades[-1]
        return fits or (is_last and self._hardly_slower(expected, self._grade, n_px))

    def _hardly_slower(self, expected_ms: float, worse: Grade, n_px: int) -> bool:
        other = self._expected_ms(worse, n_px)
        return other is not None and expected_ms < LEAST_GAIN * other

    def _expected_ms(self, grade: Grade, n_px: int) -> float | None:
        taken = self._ns_per_px.get(grade)
        return None if taken is None else median_low(taken) * n_px / 1e6
