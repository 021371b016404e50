"""The one table of commands: menus, buttons, keys, search, help and tests all read it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from typing import TypeVar

from lather.actions.workbench import Workbench

E = TypeVar("E", bound=Enum)
Run = Callable[[Workbench], None]
Ask = Callable[[Workbench], bool]


def always(bench: Workbench) -> bool:  # noqa: ARG001
    return True


@dataclass(frozen=True)
class Action:
    """A command.

    Attributes
    ----------
    keys : shortcuts in Qt's portable notation; single keys are for the free hand.
    enabled : whether it applies now.
    checked : for switches, whether it is on.
    release : for momentary commands, what happens when the key is let go.
    """

    id: str
    title: str
    help: str
    menu: str
    run: Run
    keys: tuple[str, ...] = ()
    icon: str = ""
    enabled: Ask = always
    checked: Ask | None = None
    release: Run | None = None


def all_actions() -> tuple[Action, ...]:
    """Every command, in the order of the menus."""
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

    modules = (
        opening, saving, delivering, application, edit, finding, geometry, free, brush, source,
        area, layer, view,
    )  # fmt: skip
    return tuple(action for module in modules for action in module.ACTIONS)


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


def next_choice(choice: E) -> E:
    """The one after it in its enumeration, round the end."""
    choices = list(type(choice))
    return choices[(choices.index(choice) + 1) % len(choices)]


def has_job(bench: Workbench) -> bool:
    return bench.job is not None
