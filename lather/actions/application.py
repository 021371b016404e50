"""Commands on the application itself."""

from __future__ import annotations

from lather.actions.action import Action

ACTIONS = (
    Action(
        "app.preferences",
        "Preferences…",
        "Appearance, surround, pen hand, memory.",
        "Job",
        lambda bench: bench.ask.show_preferences(),
    ),
    Action(
        "app.quit",
        "Quit",
        "Close Lather; unsaved work is asked about.",
        "Job",
        lambda bench: bench.ask.quit(),
    ),
)
