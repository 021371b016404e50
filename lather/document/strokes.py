"""Strokes kept as data, so that what was done can be listed, explained and replayed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.brush.stroke import Brush, PenSample
from lather.core.rect import Rect


@dataclass(frozen=True, slots=True)
class StrokeRecord:
    """One pen-down to pen-up.

    Attributes
    ----------
    tool : the tool's id.
    brush : as it was set.
    samples : the pen's readings, in photo pixels.
    rect : the pixels it changed.
    colour : the encoded RGB painted with, where the tool has one.
    source : the offset that a mend took its texture from, px.
    mode : what the stroke acted on ('all', 'darks', 'brights').
    extras : fields of a newer Lather, kept and saved again.
    """

    tool: str
    brush: Brush
    samples: tuple[PenSample, ...]
    rect: Rect
    colour: tuple[float, float, float] | None = None
    source: tuple[int, int] | None = None
    mode: str = "all"
    extras: Mapping[str, Any] = field(default_factory=dict)
