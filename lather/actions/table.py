"""The one table of commands: menus, buttons, keys, search, help and tests all read it."""

from __future__ import annotations

from lather.actions import (
    application,
    area,
    brush,
    delivering,
    edit,
    finding,
    free,
    geometry,
    layer,
    opening,
    saving,
    source,
    view,
)
from lather.actions.action import Action

_GROUPS = (
    opening, saving, delivering, application, edit, finding, geometry, free, brush, source,
    area, layer, view,
)  # fmt: skip


def all_actions() -> tuple[Action, ...]:
    """Every command, in the order of the menus."""
    return tuple(action for group in _GROUPS for action in group.ACTIONS)


MENUS = ("Job", "Edit", "Finding", "Tool", "Source", "Area", "Layer", "Mask", "View", "Help")

_LEFT_TO_RIGHT = dict(
    zip("QWERTASDFGZXCVB12345", "POIUYÖLKJHM.,NB09876".replace("Ö", ";"), strict=True)
)


def mirrored_key(key: str) -> str:
    """The key for people who hold the pen in the left hand: its mirror image.

    Only single keys, alone or with Shift, move; chords with Ctrl are the desktop's.
    """
    *modifiers, last = key.split("+")
    if any(modifier != "Shift" for modifier in modifiers) or last not in _LEFT_TO_RIGHT:
        return key
    return "+".join([*modifiers, _LEFT_TO_RIGHT[last]])


def keys_of(action: Action, pen_hand: str) -> tuple[str, ...]:
    """The keys of a command for a person with the pen in that hand."""
    if pen_hand == "left":
        return tuple(mirrored_key(key) for key in action.keys)
    return action.keys
