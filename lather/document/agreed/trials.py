"""Blinded tests: whether somebody could tell the retouch from the photo."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lather.core.bounds import TRIAL, refuse_beyond
from lather.core.open_enum import OpenEnum


class Answer(OpenEnum):
    """What was answered to 'which is the photo?' Values as in files."""

    RIGHT = "right"
    WRONG = "wrong"
    CANNOT_TELL = "cannot tell"


@dataclass(frozen=True)
class Trial:
    """One answer.

    Attributes
    ----------
    on : ISO 8601 time, as the person's clock has it.
    scale : size that it was looked at, of the full size.
    n_flips : how often the two were swapped before the answer.
    """

    answer: Answer
    on: str
    scale: float
    n_flips: int
    extras: Mapping[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        refuse_beyond("a blinded test", TRIAL, self)

    def sentence(self) -> str:
        """What it means."""
        if self.answer is Answer.RIGHT:
            return "That was the photo: the retouch can be told from it."
        if self.answer is Answer.WRONG:
            return "That was the retouch: it passed for the photo."
        return "Kept: you could not tell them apart."


def told(trials: Sequence[Trial]) -> str:
    """All answers in a line; '' without any."""
    if not trials:
        return ""
    n_right = sum(trial.answer is Answer.RIGHT for trial in trials)
    return f"Blinded: told from the photo {n_right} of {len(trials)} times."
