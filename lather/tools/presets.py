"""Named presets of the brushes: those that come with Lather, taken from practice, and own ones."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import asdict, dataclass, fields
from typing import Any

from lather.core.brush.stroke import Brush
from lather.core.mend.mode import MendMode
from lather.tools.source import SourceGoes

LONGEST_NAME = 40


@dataclass(frozen=True)
class Preset:
    """A brush with a name."""

    name: str
    tool: str
    brush: Brush
    mode: MendMode = MendMode.ALL
    source_goes: SourceGoes = SourceGoes.FOLLOWING

    def as_entry(self) -> dict[str, Any]:
        """For the preferences file."""
        return {
            "name": self.name, "tool": self.tool, "brush": asdict(self.brush),
            "mode": self.mode.value, "source_goes": self.source_goes.value,
        }  # fmt: skip


def presets_from(entries: Iterable[Any]) -> list[Preset]:
    """The presets of a preferences file; what cannot be read is left out."""
    found = []
    for entry in entries:
        try:
            found.append(_from_entry(entry))
        except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
            continue
    return found


def _from_entry(entry: Any) -> Preset:
    plain = Brush()
    values = {
        field.name: type(getattr(plain, field.name))(entry["brush"][field.name])
        for field in fields(Brush)
    }
    if not all(math.isfinite(value) for value in values.values()):
        raise ValueError("a brush is out of bounds")
    return Preset(
        str(entry["name"])[:LONGEST_NAME], str(entry["tool"]), Brush(**values),
        MendMode(entry["mode"]), SourceGoes(entry["source_goes"]),
    )  # fmt: skip


# Sizes are for a portrait of 24 megapixels.
BUILT_IN: tuple[Preset, ...] = (
    Preset("Pin-point", "mend_spot", Brush(5, 0.5, 1.0, 0.7)),
    Preset("Glints", "mend_spot", Brush(5, 0.5, 1.0, 0.7), MendMode.TAME_BRIGHTS),
    Preset("Dents and hairs", "mend_spot", Brush(8, 0.5, 1.0, 0.7), MendMode.LIFT_DARKS),
    Preset("Crease", "mend_from_source", Brush(24, 0.3, 1.0, 1.0), MendMode.LIFT_DARKS),
    Preset("Other half", "mend_from_source", Brush(80, 0.4, 1.0, 1.0), MendMode.ALL,
           SourceGoes.FOLLOWING),
    Preset("Along an edge", "copy_from_source", Brush(20, 0.3, 0.15, 0.7)),
    Preset("Under the eye", "copy_from_source", Brush(70, 0.0, 0.2, 0.7), MendMode.LIFT_DARKS),
    Preset("Sweep", "copy_from_source", Brush(120, 0.0, 0.2, 1.0), MendMode.ALL,
           SourceGoes.FRESH),
    Preset("Small forms", "lighten", Brush(90, 0.0, 0.15, 0.15, pressure_flow=True)),
    Preset("Highlight", "lighten", Brush(160, 0.0, 0.25, 0.25, pressure_flow=True)),
    Preset("Small forms", "darken", Brush(90, 0.0, 0.15, 0.15, pressure_flow=True)),
    Preset("Contour", "darken", Brush(160, 0.0, 0.25, 0.25, pressure_flow=True)),
    Preset("Thin coat", "paint_colour", Brush(90, 0.0, 0.15, 0.15, pressure_flow=True)),
    Preset("Bit by bit", "erase", Brush(60, 0.0, 1.0, 0.25, pressure_flow=True)),
    Preset("Small forms", "push", Brush(150, 0.0, 1.0, 0.4)),
    Preset("Limbs and clothes", "push", Brush(900, 0.0, 1.0, 0.6)),
    *(Preset("Small forms", name, Brush(90, 0.0, 1.0, 1.0))
      for name in ("gather", "swell", "turn", "turn_back", "ease_back", "calm")),
    *(Preset("To the rim", name, Brush(60, 0.8, 1.0, 1.0)) for name in ("hold", "let_go")),
    Preset("Bit by bit", "paint_back", Brush(60, 0.0, 1.0, 0.25, pressure_flow=True)),
)  # fmt: skip
