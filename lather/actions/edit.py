"""Undo, redo, and finding commands."""

from __future__ import annotations

from lather.actions.action import Action, has_job
from lather.actions.workbench import Workbench


def _can_undo(bench: Workbench) -> bool:
    job, session = bench.job, bench.session
    in_hand = session is not None and session.busy
    return job is not None and (in_hand or job.history.next_undo is not None)


def _can_redo(bench: Workbench) -> bool:
    return bench.job is not None and bench.job.history.next_redo is not None


ACTIONS = (
    Action(
        "edit.undo",
        "Undo",
        "Take the last step back.",
        "Edit",
        Workbench.undo,
        "undo",
        enabled=_can_undo,
    ),
    Action(
        "edit.redo",
        "Redo",
        "Do the step again that was taken back.",
        "Edit",
        Workbench.redo,
        "redo",
        enabled=_can_redo,
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
