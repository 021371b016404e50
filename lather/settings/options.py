"""All preferences, declared once: the preferences dialog, docs and checks read this table."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Option:
    """A preference.

    `choices` lists (value, title) for options picked from a list; `low` and `high` bound
    numbers; `each` is the type of a list's entries. `shown` is False for what the application
    remembers by itself.
    """

    key: str
    title: str
    help: str
    default: Any
    choices: tuple[tuple[str, str], ...] = ()
    low: float | None = None
    high: float | None = None
    unit: str = ""
    shown: bool = True
    each: type = str

    def accepts(self, value: Any) -> bool:
        """True for a value of the right type within bounds; any value may be asked about."""
        if type(value) is not type(self.default):
            return False
        if self.choices:
            return any(value == choice for choice, _ in self.choices)
        if isinstance(value, list):
            return all(type(entry) is self.each and _is_plain(entry) for entry in value)
        if isinstance(value, (int, float)) and not isinstance(value, bool):
            low_ok = self.low is None or value >= self.low
            return low_ok and (self.high is None or value <= self.high)
        return _is_plain(value)


def _is_plain(value: Any) -> bool:
    """False for text that is no path and that no system call takes."""
    return not isinstance(value, str) or "\0" not in value


OPTIONS: tuple[Option, ...] = (
    Option(
        "appearance",
        "Appearance",
        "Colours of the window; 'desktop' follows the desktop's light or dark preference.",
        "desktop",
        choices=(
            ("desktop", "as the desktop"),
            ("dark", "dark"),
            ("light", "light"),
            ("contrast", "high contrast"),
        ),
    ),
    Option(
        "larger_text",
        "Larger text",
        "All texts of the window a step larger.",
        False,
    ),
    Option(
        "surround_percent",
        "Surround",
        "Lightness of the neutral grey around the picture.",
        18,
        low=0,
        high=100,
        unit="%",
    ),
    Option(
        "pen_hand",
        "Pen in",
        "Which hand holds the pen; the single-key commands lie under the other one.",
        "right",
        choices=(("right", "the right hand"), ("left", "the left hand")),
    ),
    Option(
        "survey_when_opened",
        "Survey new photos",
        "A photo that is opened is surveyed by itself, aside; everything else comes first.",
        True,
    ),
    Option(
        "work_ahead",
        "Work ahead while the hand rests",
        "What Even proposes and the check are worked out before they are asked for.",
        True,
    ),
    Option(
        "mouse_pressure",
        "Pressure from mouse speed",
        "When drawing with a mouse, a fast stroke counts as a light one.",
        False,
    ),
    Option(
        "history_megabytes",
        "Memory for undo",
        "The oldest steps are forgotten when undo needs more than this.",
        768,
        low=64,
        high=16384,
        unit="MB",
    ),
    Option(
        "history_disk_megabytes",
        "Disk for undo",
        "Steps that do not fit the memory go to disk, up to this; then the oldest are forgotten.",
        8192,
        low=0,
        high=262144,
        unit="MB",
    ),
    Option(
        "checkpoint_minutes",
        "Write a checkpoint every",
        "While you pause, the whole job is written beside the journal; 0 turns it off.",
        2,
        low=0,
        high=60,
        unit="min",
    ),
    Option(
        "backups_kept",
        "Earlier versions kept",
        "Saving keeps this many earlier versions of the job as NAME.backup1.lather and so on.",
        3,
        low=0,
        high=20,
    ),
    Option(
        "tool_names",
        "Names beside the tools",
        "Off, the tools are icons only and take less room.",
        True,
    ),
    Option("left_folded", "Worklist folded", "Folded away.", False, shown=False),
    Option("right_folded", "Tools and layers folded", "Folded away.", False, shown=False),
    Option("left_px", "Width of the worklist", "As it was drawn.", 251, low=120, high=4000,
           shown=False),
    Option("right_px", "Width of tools and layers", "As it was drawn.", 325, low=120, high=4000,
           shown=False),
    Option("layers_px", "Height of the layers", "As it was drawn; 0: as high as five rows.", 0,
           low=0, high=4000, shown=False),
    Option("more_of_hand", "More of the brush", "What is rarer is unfolded.", False, shown=False),
    Option("presets", "Presets", "Named brushes of your own.", [], shown=False, each=dict),
    Option(
        "deliveries", "Deliveries", "Named presets for delivery.", [], shown=False, each=dict
    ),
    Option("keys", "Keys", "Commands with other keys.", [], shown=False, each=dict),
    Option("delivery_folder", "Delivery folder", "Used lately.", "", shown=False),
    Option("recent", "Recent files", "Opened lately.", [], shown=False),
    Option("window", "Window", "Size and place of the window.", "", shown=False),
    Option("hint_seen", "Hint seen", "The first-run hint was dismissed.", False, shown=False),
)
