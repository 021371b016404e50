"""Long work that runs aside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from lather.core.work import CancelToken


@dataclass(frozen=True)
class Offer:
    """Something that can be done about what was said, by one button."""

    title: str
    run: Callable[[], None]


@dataclass
class Task:
    """Long work that runs aside."""

    title: str
    cancel: CancelToken = field(default_factory=CancelToken)
    share: float = 0.0
    what: str = ""
