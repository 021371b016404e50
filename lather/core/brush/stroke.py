"""From pen samples to dabs: spacing along the path, pressure, build-up while resting."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from lather.core.brush.dabs import DAB_COLUMNS, Dabs

SMALLEST_RADIUS_PX = 0.25
SMALLEST_STEP_PX = 0.5
BUILD_UP_INTERVAL_S = 0.05
SLICE_S = 0.02  # of a brush that works by time
SPEED_FOR_HALF_PRESSURE_PX_S = 900.0


@dataclass(frozen=True, slots=True)
class PenSample:
    """One reading of the pen, in full-resolution photo pixels.

    `time_s` counts from any start; `pressure` 0-1; tilts in degrees from upright.
    """

    time_s: float
    x: float
    y: float
    pressure: float = 1.0
    tilt_x_deg: float = 0.0
    tilt_y_deg: float = 0.0


@dataclass(frozen=True, slots=True)
class Brush:
    """A brush as the craft describes it. Size is the diameter; fractions are 0-1."""

    size_px: float = 40.0
    hardness: float = 0.5
    opacity: float = 1.0
    flow: float = 1.0
    spacing: float = 0.12  # of the size
    build_up: bool = False
    pressure_size: bool = False
    pressure_opacity: bool = False
    pressure_flow: bool = False


@dataclass(slots=True)
class StrokePath:
    """Turns the samples of one stroke into evenly spaced dabs.

    Feed it samples as they come; each call returns the dabs that are new. Pressure is
    interpolated between samples, so spacing and taper do not depend on the pen's rate.
    With `by_time` there is a dab for every `SLICE_S` that the pen is down, wherever it is.
    """

    brush: Brush
    by_time: bool = False
    _last: PenSample | None = field(default=None, init=False)
    _to_next_px: float = field(default=0.0, init=False)
    _last_build_up_s: float = field(default=0.0, init=False)

    def extend(self, samples: Iterable[PenSample]) -> Dabs:
        rows: list[tuple[float, ...]] = []
        for sample in samples:
            if self._last is None:
                rows.append(self._dab(sample.x, sample.y, sample.pressure))
                self._to_next_px = self._step_px(sample.pressure)
                self._last_build_up_s = sample.time_s
            elif self.by_time:
                rows.extend(self._over_time(self._last, sample))
            elif (sample.x, sample.y) == (self._last.x, self._last.y):
                rows.extend(self._built_up(sample))
            else:
                rows.extend(self._along(self._last, sample))
            self._last = sample
        return np.array(rows, dtype=np.float32).reshape(-1, DAB_COLUMNS)

    def resting(self, now_s: float) -> PenSample | None:
        """What to `extend` the stroke by while the pen is held still, to let paint accumulate; None
        if nothing is due."""
        last = self._last
        interval_s = SLICE_S if self.by_time else BUILD_UP_INTERVAL_S
        if last is None or not (self.brush.build_up or self.by_time):
            return None
        due = int((now_s - self._last_build_up_s) / interval_s)
        return replace(last, time_s=now_s) if due > 0 else None

    def _built_up(self, sample: PenSample) -> list[tuple[float, ...]]:
        """The dabs of a pen that rests, as long as it does."""
        if not self.brush.build_up:
            return []
        due = max(0, int((sample.time_s - self._last_build_up_s) / BUILD_UP_INTERVAL_S))
        self._last_build_up_s += due * BUILD_UP_INTERVAL_S
        return [self._dab(sample.x, sample.y, sample.pressure)] * due

    def _over_time(self, start: PenSample, end: PenSample) -> list[tuple[float, ...]]:
        due = max(0, int((end.time_s - self._last_build_up_s) / SLICE_S))
        rows = []
        for _ in range(due):
            self._last_build_up_s += SLICE_S
            length_s = max(end.time_s - start.time_s, 1e-9)
            share = min(max((self._last_build_up_s - start.time_s) / length_s, 0.0), 1.0)
            rows.append(self._dab(
                start.x + share * (end.x - start.x), start.y + share * (end.y - start.y),
                start.pressure + share * (end.pressure - start.pressure),
            ))  # fmt: skip
        return rows

    def _along(self, start: PenSample, end: PenSample) -> list[tuple[float, ...]]:
        length = math.hypot(end.x - start.x, end.y - start.y)
        rows: list[tuple[float, ...]] = []
        at = self._to_next_px
        while at <= length and length > 0:
            share = at / length
            pressure = start.pressure + share * (end.pressure - start.pressure)
            x = start.x + share * (end.x - start.x)
            y = start.y + share * (end.y - start.y)
            rows.append(self._dab(x, y, pressure))
            at += self._step_px(pressure)
        self._to_next_px = at - length
        if rows:
            self._last_build_up_s = end.time_s
        return rows

    def _dab(self, x: float, y: float, pressure: float) -> tuple[float, ...]:
        b = self.brush
        return (
            x,
            y,
            self._radius_px(pressure),
            b.hardness,
            b.flow * (pressure if b.pressure_flow else 1.0),
            b.opacity * (pressure if b.pressure_opacity else 1.0),
        )

    def _radius_px(self, pressure: float) -> float:
        share = pressure if self.brush.pressure_size else 1.0
        return max(SMALLEST_RADIUS_PX, self.brush.size_px / 2 * share)

    def _step_px(self, pressure: float) -> float:
        return max(SMALLEST_STEP_PX, 2 * self._radius_px(pressure) * self.brush.spacing)


def pressure_from_speed(speed_px_s: float) -> float:
    """A stand-in for pen pressure when drawing with a mouse: fast is light, 0-1.

    Halves at `SPEED_FOR_HALF_PRESSURE_PX_S` and never falls to zero.
    """
    return 1.0 / (1.0 + max(0.0, speed_px_s) / SPEED_FOR_HALF_PRESSURE_PX_S)
