"""Strokes as JSON, with the pen's readings beside it as packed numbers.

The readings of all strokes follow each other as little-endian float32, in the order of the
strokes, each row by row; every entry says how many rows and columns are its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, fields
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lather.core.brush.stroke import Brush
from lather.core.rect import Rect
from lather.document.painting.strokes import READING_COLUMNS, Readings, StrokeRecord, from_first

Entry = dict[str, Any]
NUMBER = np.dtype("<f4")

_KEYS = {
    "tool", "brush", "n_readings", "columns", "samples", "rect", "colour", "source", "mode",
}  # fmt: skip
_BRUSH_KEYS = {field.name for field in fields(Brush)}


class Numbers(Protocol):
    """Where the readings lie."""

    def take(self, n_numbers: int) -> NDArray[np.float32]:
        """The next numbers; ValueError if there are not so many."""


class PackedNumbers:
    """The numbers of a binary member, from its start."""

    def __init__(self, content: bytes) -> None:
        self._left = np.frombuffer(content, dtype=NUMBER)

    def take(self, n_numbers: int) -> NDArray[np.float32]:
        if not 0 <= n_numbers <= len(self._left):
            raise ValueError("it holds fewer readings of the pen than it says")
        taken, self._left = np.split(self._left, [n_numbers])
        return taken.astype(np.float32)  # a copy: not all strokes of a member live equally long


def stroke_entry(stroke: StrokeRecord) -> Entry:
    """A stroke without its readings."""
    return {
        **stroke.extras,
        "tool": stroke.tool,
        "brush": {**stroke.extras.get("brush", {}), **asdict(stroke.brush)},
        "n_readings": len(stroke.readings),
        "columns": [*READING_COLUMNS, *stroke.more_columns],
        "rect": [stroke.rect.x0, stroke.rect.y0, stroke.rect.x1, stroke.rect.y1],
        "colour": stroke.colour,
        "source": stroke.source,
        "mode": stroke.mode,
    }


def packed_readings(stroke: StrokeRecord) -> memoryview:
    """The bytes that go with `stroke_entry`."""
    packed = np.ascontiguousarray(stroke.readings, dtype=NUMBER)
    return memoryview(packed).cast("B") if packed.size else memoryview(b"")


def strokes_from(entries: Sequence[Entry], numbers: Numbers) -> tuple[StrokeRecord, ...]:
    """The inverse; ValueError, KeyError or TypeError for what is not a list of strokes."""
    if not isinstance(entries, list):
        raise ValueError("the strokes are no list")
    return tuple(_stroke_from(entry, numbers) for entry in entries)


def _stroke_from(entry: Entry, numbers: Numbers) -> StrokeRecord:
    readings, more_columns = _readings_from(entry, numbers)
    return StrokeRecord(
        tool=str(entry["tool"]),
        brush=_brush_from(entry["brush"]),
        readings=readings,
        rect=Rect(*map(int, entry["rect"])),
        colour=None if entry["colour"] is None else _three(entry["colour"]),
        source=None if entry["source"] is None else _two(entry["source"]),
        mode=str(entry["mode"]),
        more_columns=more_columns,
        extras=_extras(entry),
    )


def _readings_from(entry: Entry, numbers: Numbers) -> tuple[Readings, tuple[str, ...]]:
    n_known = len(READING_COLUMNS)
    if "samples" in entry:  # before job format 3
        rows = np.array(entry["samples"], dtype=np.float64)
        rows = rows.reshape(len(rows), -1 if rows.size else n_known)
        return from_first(rows), tuple(f"column {n}" for n in range(n_known, rows.shape[1]))
    columns = tuple(map(str, entry["columns"]))
    if columns[:n_known] != READING_COLUMNS:
        raise ValueError(f"readings of the pen with the columns {', '.join(columns)}")
    taken = numbers.take(int(entry["n_readings"]) * len(columns))
    return taken.reshape(-1, len(columns)), columns[n_known:]


def _brush_from(entry: Mapping[str, Any]) -> Brush:
    """A brush with every attribute of the type it should have."""
    plain = asdict(Brush())
    return Brush(
        **{name: type(plain[name])(value) for name, value in entry.items() if name in plain}
    )


def _extras(entry: Entry) -> Entry:
    extras = {key: value for key, value in entry.items() if key not in _KEYS}
    of_brush = {key: v for key, v in entry["brush"].items() if key not in _BRUSH_KEYS}
    return {**extras, "brush": of_brush} if of_brush else extras


def _three(values: Iterable[float]) -> tuple[float, float, float]:
    r, g, b = map(float, values)
    return r, g, b


def _two(values: Iterable[int]) -> tuple[int, int]:
    dx, dy = map(int, values)
    return dx, dy
