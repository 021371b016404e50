"""Whether there is a screen to open a window on."""

from __future__ import annotations

import os

from lather.errors import UsageError


def has_display() -> bool:
    """True with X11 or Wayland, or where another platform was asked for."""
    return any(
        os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    )


def require_display() -> None:
    if not has_display():
        raise UsageError(
            "The window was not opened",
            "there is no display",
            "start it on a desktop, or use the verbs that need no window (lather --help)",
        )
