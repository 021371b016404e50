"""What an operation is: what it is called, what it takes, and how it is done again."""

from __future__ import annotations

import importlib
import inspect
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.operations.operation import Again, Operation
from lather.document.state import JobState
from lather.operations.arguments import Argument

Edit = Callable[..., JobState]


@dataclass(frozen=True)
class Doing:
    """An operation that is done again.

    Attributes
    ----------
    begun : the state that it is worked out on.
    now : the state that it is laid into: `begun`, unless the job had gone on meanwhile.
    state_at : the state of which so many operations were done.
    """

    operation: Operation
    begun: JobState
    now: JobState
    state_at: Callable[[int], JobState]
    progress: Progress = no_progress
    cancel: CancelToken = NEVER


@dataclass(frozen=True)
class Kind:
    """A row of the table of operations.

    Attributes
    ----------
    id : as in files.
    told : what it does, for who reads the table.
    do : does it again; raises `LatherError` where it cannot be done, and whatever JSON that does
        not fit raises.
    arguments : by name.
    again : whether that gives the same.
    """

    id: str
    told: str
    do: Callable[[Doing], JobState]
    arguments: Mapping[str, Argument] = field(default_factory=dict)
    again: Again = Again.SAME


@dataclass(frozen=True)
class EditKind(Kind):
    """An edit: a function of a state and arguments.

    Attributes
    ----------
    edit : "module:function" within `lather`; it is imported when it is needed.
    stroke : the parameter that takes the operation's stroke; '' if none does.
    """

    edit: str = ""
    stroke: str = ""

    @property
    def function(self) -> Edit:
        module, name = self.edit.split(":")
        found: Edit = getattr(importlib.import_module(f"lather.{module}"), name)
        return found

    def written(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """The arguments of a call as JSON."""
        return {name: argument.write(values[name]) for name, argument in self.arguments.items()
                if name in values}  # fmt: skip

    def values(self, operation: Operation) -> dict[str, Any]:
        """The inverse; what JSON that does not fit raises."""
        values = {name: argument.read(operation.arguments[name])
                  for name, argument in self.arguments.items()
                  if name in operation.arguments}  # fmt: skip
        return {**values, self.stroke: operation.strokes[0]} if self.stroke else values


def edited(
    edit: Edit, state: JobState, values: Mapping[str, Any], progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> JobState:
    """What an edit makes of a state; one that takes its time is given what it can be stopped by."""
    takes = inspect.signature(edit).parameters
    aside = {"progress": progress, "cancel": cancel}
    return edit(state, **values, **{name: given for name, given in aside.items() if name in takes})
