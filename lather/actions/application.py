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
        "app.full_screen",
        "Full screen",
        "Fill the screen with the picture: all panels fold away; again, and all is back.",
        "View",
        lambda bench: bench.ask.full_screen(),
    ),
    Action(
        "app.quit",
        "Quit",
        "Close Lather; unsaved work is asked about.",
        "Job",
        lambda bench: bench.ask.quit(),
    ),
)
