"""The keys: the whole map in one place, and what the person made of it.

A key is written as it is pressed: "D", "Shift+D", "X+D" (D while X is held), "Ctrl+S".
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import cache
from typing import Any, Protocol, TypeVar

from lather.actions.stages.table import STAGES
from lather.assist.stages import title
from lather.document.layers.layer import Stage
from lather.errors import UsageError
from lather.names import KEY
from lather.settings.store import Settings


class Named(Protocol):
    """A command, as far as its keys go."""

    @property
    def id(self) -> str: ...

    @property
    def title(self) -> str: ...


A = TypeVar("A", bound=Named)

LOGIC = (
    "A bare key is for the brush or the eye; Shift takes its sibling, and Alt says how the brush "
    "works.",
    "Seven keys, held down, open a plane of one subject each (that of F is the stage at hand), in "
    "which a letter means what it means everywhere: D makes, F shows, G takes away, W and E are "
    "less and more, T turns over, Q is as it was, A and S look to the side.",
)
PLANES = {
    "Space": "findings", "C": "the source", "R": "areas", "X": "layers", "B": "masks",
    "V": "the view", "F": "the stage",
}  # fmt: skip
STAGE_PLANE = "F"

KEYS: dict[str, tuple[str, ...]] = {
    # What the desktop's own conventions say.
    "job.open": ("Ctrl+O",),
    "job.save": ("Ctrl+S",),
    "job.save_as": ("Ctrl+Shift+S",),
    "app.preferences": ("Ctrl+,",),
    "app.quit": ("Ctrl+Q",),
    "app.full_screen": ("F11",),
    "edit.undo": ("Ctrl+Z", "Z"),
    "edit.redo": ("Ctrl+Shift+Z", "Shift+Z"),
    "view.closer": ("Ctrl++", "Ctrl+="),
    "view.farther": ("Ctrl+-",),
    "job.deliver": ("Ctrl+Return",),
    # The brush in the hand.
    "tool.mend_spot": ("D",),
    "tool.mend_from_source": ("Shift+D",),
    "tool.paint_colour": ("F",),
    "tool.copy_from_source": ("Shift+F",),
    "tool.lighten": ("R",),
    "tool.darken": ("Shift+R",),
    "tool.erase": ("G",),
    "tool.pick": ("Alt+C",),
    "tool.paint_back": ("Shift+G",),
    "brush.smaller": ("W",),
    "brush.larger": ("E",),
    "brush.softer": ("Shift+W",),
    "brush.harder": ("Shift+E",),
    "brush.less_flow": ("Alt+W",),
    "brush.more_flow": ("Alt+E",),
    "brush.mode": ("Alt+D",),
    "brush.colour": ("Alt+F",),
    "brush.weak": ("Alt+S",),
    "brush.hold_inverted": ("Alt+T",),
    "brush.next_preset": ("Alt+Q",),
    # The eye.
    "view.hold_before": ("A",),
    "view.before": ("Shift+A",),
    "view.split": ("S",),
    "view.peek": ("Shift+S",),
    "view.peek_delivery": ("Shift+V",),
    "view.all_findings": ("Alt+A",),
    "view.mirror": ("T",),
    "view.fit": ("1",),
    "view.zoom_50": ("2",),
    "view.zoom_100": ("3",),
    "view.zoom_200": ("4",),
    "view.zoom_delivery": ("5",),
    "view.hold_pan": ("V",),
    "view.handles": ("V+F",),
    "lens.regions": ("V+D",),
    "lens.tone": ("V+1",),
    "lens.texture": ("V+2",),
    "lens.black_white": ("V+3",),
    "lens.blotch": ("V+4",),
    "lens.shine": ("V+5",),
    "lens.redness": ("V+R",),
    "lens.dark": ("V+X",),
    "lens.change": ("V+Z",),
    "lens.clipping": ("V+C",),
    "lens.mask": ("V+B",),
    "lens.clear": ("V+G",),
    "view.next_region": ("V+E",),
    "view.next_person": ("Shift+B",),
    "view.worklist": ("F8", "V+A"),
    "view.hand": ("F9", "V+S"),
    "view.tool_names": ("V+Q",),
    "help.search": ("Q",),
    "help.shortcuts": ("Shift+Q",),
    "edit.history": ("Alt+Z",),
    # Findings.
    "finding.next": ("Space",),
    "finding.previous": ("Space+A",),
    "finding.next_decided": ("Space+C",),
    "finding.previous_decided": ("Space+Z",),
    "finding.mend": ("Space+D",),
    "finding.other_source": ("Space+T",),
    "finding.keep": ("Space+F",),
    "finding.skip": ("Space+S",),
    "finding.reopen": ("Space+Q",),
    "finding.mend_all": ("Space+E",),
    "mend.cut_free": ("Space+G",),
    "tool.mark": ("Space+V",),
    "proposal.accept": ("Space+R",),
    "proposal.paint_in": ("Space+B",),
    "proposal.leave": ("Space+X", "Esc"),
    # The source.
    "source.pick": ("C",),
    "source.goes": ("C+D",),
    "source.reads": ("C+F",),
    "source.mirror": ("C+T",),
    "source.smaller": ("C+W",),
    "source.larger": ("C+E",),
    "source.turn_left": ("C+A",),
    "source.turn_right": ("C+S",),
    "source.straight": ("C+Q",),
    # Areas.
    "tool.outline": ("R+D",),
    "tool.grow_area": ("R+F",),
    "area.clear": ("R+G",),
    "area.shrink": ("R+W",),
    "area.grow": ("R+E",),
    "area.feather": ("R+S",),
    "area.invert": ("R+T",),
    "tool.graft": ("R+A",),
    "area.from_layer": ("R+X",),
    "area.from_mask": ("R+B",),
    "tool.correct_region": ("R+V",),
    # Layers.
    "layer.new": ("X+D",),
    "layer.visible": ("X+F",),
    "layer.delete": ("X+G",),
    "layer.lower": ("X+W",),
    "layer.raise": ("X+E",),
    "layer.duplicate": ("X+S",),
    "layer.merge_copy": ("X+A",),
    "layer.group": ("X+R",),
    "layer.ungroup": ("X+T",),
    "layer.rename": ("X+Q",),
    "layer.lock": ("X+V",),
    "layer.limits": ("X+B",),
    "layer.card": ("X+C",),
    # Masks.
    "mask.add": ("B+D",),
    "mask.add_hidden": ("B+S",),
    "mask.paint": ("B+F",),
    "mask.remove": ("B+G",),
    "mask.invert": ("B+T",),
    "mask.switch": ("B+A",),
    "mask.alone": ("B+V",),
    "area.to_mask": ("B+R",),
    "mask.softer": ("B+W",),
    "mask.harder": ("B+E",),
    "mask.from_region": ("B+X",),
    "mask.from_lightness": ("B+1",),
    "mask.from_colours": ("B+2",),
    "mask.from_change": ("B+3",),
    # The check.
    "check.show": ("Shift+C",),
    "check.next": ("Alt+X",),
    "check.previous": ("Alt+B",),
    "check.lever": ("Alt+R",),
    "check.blind": ("Alt+V",),
    "check.all": ("Shift+X",),
}  # fmt: skip

_LEFT_TO_RIGHT = dict(zip("QWERTASDFGZXCVB12345", "POIUY;LKJHM.,NB09876", strict=True))
_MODIFIERS = ("Ctrl", "Alt", "Shift", "Meta")


def mirrored_key(key: str) -> str:
    """The key for people who hold the pen in the left hand: its mirror image.

    Chords with Ctrl are the desktop's and stay, and so do the numbers of the stages.
    """
    parts = parts_of(key)
    if "Ctrl" in parts or (parts[0] == "Alt" and parts[-1].isdigit()):
        return key
    return "+".join(_LEFT_TO_RIGHT.get(part, part) for part in parts)


def parts_of(key: str) -> list[str]:
    """What is pressed one after the other; a plus sign is a key, too."""
    if key == "+":
        return [key]
    if key.endswith("++"):
        return [*key[:-2].split("+"), "+"]
    return key.split("+")


def plane_of(key: str) -> str | None:
    """The key that has to be held for it; None for none but modifiers."""
    first = parts_of(key)[0]
    return first if len(parts_of(key)) > 1 and first not in _MODIFIERS else None


def planes(pen_hand: str) -> dict[str, str]:
    """The keys that open a plane, each with its subject."""
    if pen_hand == "left":
        return {mirrored_key(key): subject for key, subject in PLANES.items()}
    return PLANES


@cache
def default_keys(command_id: str, pen_hand: str) -> tuple[str, ...]:
    """The keys of a command for a person with the pen in that hand, unless changed."""
    keys = (*KEYS.get(command_id, ()), *_to_stage(command_id))
    keys += tuple(dict.fromkeys(_in_plane(letter) for _, letter in _letters(command_id)))
    return tuple(map(mirrored_key, keys)) if pen_hand == "left" else keys


def stages_where(command_id: str, key: str, settings: Settings) -> tuple[str, ...]:
    """The stages in which alone a key is a command's; none for a key that is everywhere."""
    if command_id in _own(settings):
        return ()
    as_pressed = mirrored_key if settings["pen_hand"] == "left" else str
    return tuple(name for name, letter in _letters(command_id)
                 if as_pressed(_in_plane(letter)) == key)  # fmt: skip


def commands_in(
    stage: str, actions: Iterable[A], settings: Settings
) -> dict[str, A]:
    """What each key does in a stage; a person's own keys come before all others."""
    own = _own(settings)
    found: dict[str, A] = {}
    chosen: dict[str, A] = {}
    for action in actions:
        for key in keys_of(action, settings):
            where = stages_where(action.id, key, settings)
            if not where or stage in where:
                (chosen if action.id in own else found)[key] = action
    return {**found, **chosen}


def _to_stage(command_id: str) -> tuple[str, ...]:
    """The key in the row of the stage that a command goes to."""
    group, _, name = command_id.partition(".")
    key = STAGES[name].key if group == "stage" and name in STAGES else ""
    return (key,) if key else ()


@cache
def _letters(command_id: str) -> tuple[tuple[str, str], ...]:
    """The stages that have a command in their plane, each with its letter there."""
    return tuple((name, letter) for name, row in STAGES.items()
                 for letter, named in row.letters.items() if named == command_id)  # fmt: skip


def _in_plane(letter: str) -> str:
    return f"{STAGE_PLANE}+{letter}"


def keys_of(action: Named, settings: Settings) -> tuple[str, ...]:
    """The keys of a command, as the person has them."""
    return keys_for(action.id, settings)


def keys_for(command_id: str, settings: Settings) -> tuple[str, ...]:
    """The same, of the command of that id."""
    own = _own(settings).get(command_id)
    return default_keys(command_id, settings["pen_hand"]) if own is None else own


def keys_told(action: Named, settings: Settings) -> tuple[str, ...]:
    """The same for a person to read: with the stage of those that only one stage has."""
    told = []
    for key in keys_of(action, settings):
        where = " and ".join(map(title, map(Stage, stages_where(action.id, key, settings))))
        told.append(f"{key} in {where}" if where else key)
    return tuple(told)


def with_keys(text: str, settings: Settings) -> str:
    """A sentence in which '{key:ID}' is the key of that command, as the person presses it."""

    def key(found: re.Match[str]) -> str:
        keys = keys_for(found[1], settings)
        return keys[0] if keys else "no key"

    return KEY.sub(key, text)


def change_key(
    actions: Iterable[Named], settings: Settings, action: Named, key: str | None
) -> None:
    """Give a command another key, or none.

    Raises
    ------
    UsageError : another command has that key, named; or the key opens a plane.
    """
    if key is not None:
        hand = settings["pen_hand"]
        subject = planes(hand).get(key)
        if subject is not None and key not in default_keys(action.id, hand):
            raise _refused(key, f"held down it opens the plane of {subject}")
        for other in actions:
            if other.id != action.id and key in keys_of(other, settings):
                raise _refused(key, f"it is the key of '{other.title}'")
    own = {**_own(settings), action.id: () if key is None else (key,)}
    _keep(settings, own)


def reset_keys(settings: Settings) -> None:
    """All keys as they come with Lather."""
    _keep(settings, {})


def _refused(key: str, why: str) -> UsageError:
    return UsageError(f"{key} was not taken", why, "choose another one, or change that one first")


def _own(settings: Settings) -> dict[str, tuple[str, ...]]:
    """The commands that the person gave other keys; what makes no sense is passed over."""
    own = {}
    for entry in settings["keys"]:
        name, keys = entry.get("command"), entry.get("keys")
        if isinstance(name, str) and isinstance(keys, list):
            own[name] = tuple(key for key in keys if isinstance(key, str) and key)
    return own


def _keep(settings: Settings, own: dict[str, tuple[str, ...]]) -> None:
    entries: list[dict[str, Any]] = [
        {"command": name, "keys": list(keys)} for name, keys in own.items()
    ]
    settings.set("keys", entries)
