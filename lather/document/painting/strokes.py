"""Strokes kept as data, so that what was done can be listed, explained and replayed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lather.core.brush.stroke import Brush, PenSample
from lather.core.rect import Rect

READING_COLUMNS = ("time_s", "x", "y", "pressure", "tilt_x_deg", "tilt_y_deg")
MOST_READINGS = 2**21  # of one stroke: close to three hours of pen-down at 200 a second

Readings = NDArray[np.float32]  # (N, 6 or more), columns as in READING_COLUMNS


@dataclass(frozen=True, slots=True, eq=False)
class StrokeRecord:
    """One pen-down to pen-up.

    Attributes
    ----------
    tool : the tool's id.
    brush : as it was set.
    readings : (N, 6 or more) float32, read-only: the pen's readings in photo pixels, time in
        seconds from the first.
    rect : the pixels it changed.
    colour : the encoded RGB painted with, where the tool has one.
    source : the offset that a mend took its texture from, px.
    mode : what the stroke acted on ('all', 'darks', 'brights').
    more_columns : names of what the readings hold beyond READING_COLUMNS, by a newer Lather.
    extras : fields of a newer Lather, kept and saved again; those of the brush under 'brush'.
    """

    tool: str
    brush: Brush
    readings: Readings
    rect: Rect
    colour: tuple[float, float, float] | None = None
    source: tuple[int, int] | None = None
    mode: str = "all"
    more_columns: tuple[str, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        n_columns = len(READING_COLUMNS) + len(self.more_columns)
        if self.readings.ndim != 2 or self.readings.shape[1] != n_columns:
            raise ValueError(f"readings of shape {self.readings.shape}, not (N, {n_columns})")
        self.readings.flags.writeable = False


def as_kept(sample: PenSample, began_s: float) -> PenSample:
    """A sample as `readings_of` keeps it, its time from the first: what is drawn is what can be
    drawn again."""
    return PenSample(
        float(np.float32(sample.time_s - began_s)), float(np.float32(sample.x)),
        float(np.float32(sample.y)), float(np.float32(sample.pressure)),
        float(np.float32(sample.tilt_x_deg)), float(np.float32(sample.tilt_y_deg)),
    )  # fmt: skip


def samples_of(readings: Readings) -> list[PenSample]:
    """The inverse of `readings_of`."""
    return [PenSample(*row) for row in readings[:, : len(READING_COLUMNS)].tolist()]


def readings_of(samples: Iterable[PenSample]) -> Readings:
    """The pen's samples as a stroke keeps them; every other one where there are too many."""
    rows = np.array(
        [(s.time_s, s.x, s.y, s.pressure, s.tilt_x_deg, s.tilt_y_deg) for s in samples],
        dtype=np.float64,
    ).reshape(-1, len(READING_COLUMNS))
    return from_first(rows[:: -(-len(rows) // MOST_READINGS) or 1])


def from_first(rows: NDArray[np.float64]) -> Readings:
    """Readings whose time counts from any start, with time from the first: float32 is enough."""
    if len(rows):
        rows = rows.copy()
        rows[:, 0] -= rows[0, 0]
    return np.ascontiguousarray(rows, dtype=np.float32)
