"""What is about to be done, said by who does it."""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.operations.operation import Said
from lather.document.state import JobState


@dataclass(frozen=True, eq=False, kw_only=True)
class Call(Said):
    """What is done; `begun` is the state that it was worked out on, if the job may have gone on
    since. Where its findings lie is no place that it has to name."""

    begun: JobState | None = None
