"""The one table of commands: menus, buttons, keys, search, help and tests all read it."""

from __future__ import annotations

from lather.actions import application
from lather.actions.action import Action
from lather.actions.findings import finding, geometry, surveying
from lather.actions.hand import brush, free, source
from lather.actions.job import delivering, edit, opening, saving
from lather.actions.layers import area, layer
from lather.actions.looking import lens, people, view
from lather.actions.stages import briefing, checking, evening, shape

_GROUPS = (
    opening, saving, delivering, application, edit, briefing, surveying, finding, evening,
    geometry, free, brush, source, shape, area, layer, checking, lens, view,
    people,
)  # fmt: skip


def all_actions() -> tuple[Action, ...]:
    """Every command, in the order of the menus."""
    grouped = tuple(action for group in _GROUPS for action in group.ACTIONS)
    return (*grouped, *view.stage_actions())


MENUS = ("Job", "Edit", "Brief", "Finding", "Even", "Tool", "Shape", "Source", "Area", "Layer",
         "Mask", "Check", "View", "Help")  # fmt: skip
