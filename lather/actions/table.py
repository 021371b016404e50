"""The one table of commands: menus, buttons, keys, search, help and tests all read it."""

from __future__ import annotations

from lather.actions import (
    application,
    area,
    brush,
    delivering,
    edit,
    evening,
    finding,
    free,
    geometry,
    layer,
    lens,
    opening,
    saving,
    shape,
    source,
    view,
)
from lather.actions.action import Action

_GROUPS = (
    opening, saving, delivering, application, edit, finding, evening, geometry, free, brush, source,
    shape, area, layer, lens, view,
)  # fmt: skip


def all_actions() -> tuple[Action, ...]:
    """Every command, in the order of the menus."""
    return tuple(action for group in _GROUPS for action in group.ACTIONS)


MENUS = ("Job", "Edit", "Finding", "Even", "Tool", "Shape", "Source", "Area", "Layer", "Mask",
         "View", "Help")  # fmt: skip
