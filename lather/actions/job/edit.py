"""Undo, redo, and finding commands."""

from __future__ import annotations

from lather.actions.action import Action, When, has_job
from lather.actions.workbench import Workbench


def _is_undoable(bench: Workbench) -> bool:
    in_hand = bench.session is not None and bench.session.busy
    return in_hand or bench.open_job.history.next_undo is not None


_can_undo = has_job & When.that(_is_undoable, "there is no step to take back")
_can_redo = has_job & When.that(
    lambda bench: bench.open_job.history.next_redo is not None, "no step was taken back"
)


ACTIONS = (
    Action(
        "edit.undo",
        "Undo",
        "Take the last step back.",
        "Edit",
        Workbench.undo,
        "undo",
        enabled=_can_undo,
        repeats=True,
    ),
    Action(
        "edit.redo",
        "Redo",
        "Do the step again that was taken back.",
        "Edit",
        Workbench.redo,
        "redo",
        enabled=_can_redo,
        repeats=True,
    ),
    Action(
        "edit.history",
        "History…",
        "All steps by name: go back to any of them, or bring one back by brush.",
        "Edit",
        lambda bench: bench.ask.show_history(),
        enabled=has_job,
    ),
    Action(
        "help.search",
        "Find a command…",
        "Type what you want to do; Return does it.",
        "Help",
        lambda bench: bench.ask.show_commands(),
        "search",
    ),
    Action(
        "help.shortcuts",
        "All keys…",
        "The keys of all commands on one sheet.",
        "Help",
        lambda bench: bench.ask.show_shortcuts(),
    ),
)
