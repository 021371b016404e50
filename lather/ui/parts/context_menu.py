"""The menu of a right click: the commands of what lies under it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from lather.actions.action import Action
from lather.actions.keymap import keys_of
from lather.actions.looking.under import Under
from lather.actions.table import all_actions
from lather.actions.workbench import Workbench
from lather.ui.parts.widgets import hint_of, run_action


def show_menu(
    bench: Workbench, under: Sequence[Under], parent: QWidget, at: QPoint
) -> QMenu:
    """Pop the commands up at a place of the screen."""
    actions = {action.id: action for action in all_actions()}
    menu = QMenu(parent)
    menu.setToolTipsVisible(True)
    menu.aboutToHide.connect(menu.deleteLater)
    for thing in under:
        menu.addSeparator()
        title = menu.addAction(thing.title)  # the title of a section would not be drawn
        assert title is not None
        title.setEnabled(False)
        for command in thing.commands:
            _add(menu, actions[command], bench)
    menu.popup(at)
    return menu


def _add(menu: QMenu, action: Action, bench: Workbench) -> None:
    keys = keys_of(action, bench.settings)
    entry = menu.addAction(f"{action.title}\t{keys[0]}" if keys else action.title)
    assert entry is not None
    entry.setToolTip(hint_of(action, bench))
    entry.setEnabled(action.enabled(bench))
    if action.checked is not None:
        entry.setCheckable(True)
        entry.setChecked(action.checked(bench))
    entry.triggered.connect(lambda checked: run_action(action, bench))
