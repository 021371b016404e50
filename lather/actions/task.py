"""Long work that runs aside."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.core.work import CancelToken


@dataclass
class Task:
    """Long work that runs aside."""

    title: str
    cancel: CancelToken = field(default_factory=CancelToken)
    share: float = 0.0
    what: str = ""
