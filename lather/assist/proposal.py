"""What an assistant gives: an edit that can be looked at, taken or left, and the reasons.

An assistant is a function of a state and options. It changes nothing by itself; where it is
not sure it leaves things as they are and says why.
"""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.state import JobState
from lather.errors import EditError


@dataclass(frozen=True)
class Measure:
    """A figure before and after what is proposed."""

    name: str
    before: float
    after: float
    unit: str = ""


@dataclass(frozen=True)
class Proposal:
    """An edit and what speaks for it.

    Attributes
    ----------
    name : of the step that it would be.
    before : the state that was asked about.
    after : with the proposed layers; `before` itself if nothing is proposed.
    measures : what was measured, before and after.
    reasons : in words, what was left as it is and why.
    refusal : why nothing is proposed; None if something is.
    """

    name: str
    before: JobState
    after: JobState
    measures: tuple[Measure, ...] = ()
    reasons: tuple[str, ...] = ()
    refusal: EditError | None = None

    def accepted(self) -> JobState:
        """The state with the edit; EditError with the reason if nothing is proposed."""
        if self.refusal is not None:
            raise self.refusal
        return self.after
