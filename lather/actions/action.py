"""A command, and what the groups of commands share."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import TypeVar

from lather.actions.workbench import Workbench

E = TypeVar("E", bound=Enum)
Run = Callable[[Workbench], None]
Ask = Callable[[Workbench], bool]


def always(bench: Workbench) -> bool:  # noqa: ARG001
    return True


@dataclass(frozen=True)
class Action:
    """A command; its keys are in `actions/keymap.py`.

    Attributes
    ----------
    enabled : whether it applies now.
    checked : for switches, whether it is on.
    release : for momentary commands, what happens when the key is let go.
    """

    id: str
    title: str
    help: str
    menu: str
    run: Run
    icon: str = ""
    enabled: Ask = always
    checked: Ask | None = None
    release: Run | None = None

    @property
    def is_momentary(self) -> bool:
        """True if it only lasts while its key is down."""
        return self.release is not None and self.checked is None


def next_choice(choice: E) -> E:
    """The one after it in its enumeration, round the end."""
    choices = list(type(choice))
    return choices[(choices.index(choice) + 1) % len(choices)]


def has_job(bench: Workbench) -> bool:
    return bench.job is not None
