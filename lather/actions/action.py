"""A command, and what the groups of commands share."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import TypeVar

from lather.actions.workbench import Workbench

E = TypeVar("E", bound=Enum)
Run = Callable[[Workbench], object]
Ask = Callable[[Workbench], bool]


@dataclass(frozen=True)
class When:
    """Whether a command applies now, and why it does not: questions that must all be answered yes.

    Attributes
    ----------
    asked : each with what is said where the answer is no: a reason, a colon and what to do; it may
        name the key of another command, as `Workbench.say` writes it.
    """

    asked: tuple[tuple[Ask, str], ...] = ()

    @classmethod
    def that(cls, holds: Ask, why_not: str) -> When:
        return cls(((holds, why_not),))

    def __call__(self, bench: Workbench) -> bool:
        return all(holds(bench) for holds, _ in self.asked)

    def __and__(self, other: When) -> When:
        return When((*self.asked, *other.asked))

    def why_not(self, bench: Workbench) -> str:
        """The first reason against it; '' where there is none."""
        return next((why for holds, why in self.asked if not holds(bench)), "")


always = When()
has_job = When.that(lambda bench: bench.job is not None, "no photo is open: open one first")


@dataclass(frozen=True)
class Action:
    """A command; its keys are in `actions/keymap.py`.

    Attributes
    ----------
    enabled : whether it applies now, and why not.
    checked : for switches, whether it is on.
    release : for momentary commands, what happens when the key is let go.
    repeats : a key that stays down does it again and again; for steps that are harmless.
    """

    id: str
    title: str
    help: str
    menu: str
    run: Run
    icon: str = ""
    enabled: When = always
    checked: Ask | None = None
    release: Run | None = None
    repeats: bool = False

    @property
    def is_momentary(self) -> bool:
        """True if it only lasts while its key is down."""
        return self.release is not None and self.checked is None


def next_choice(choice: E) -> E:
    """The one after it in its enumeration, round the end."""
    choices = list(type(choice))
    return choices[(choices.index(choice) + 1) % len(choices)]
