"""Pen recordings: JSON lines, one reading of the pen a line:
    {"t": 0.008, "x": 512.0, "y": 300.5, "pressure": 0.6, "tilt": [10, -5]}
t in seconds, x and y in photo pixels, pressure 0-1 (0: the pen hovers, the stroke ends),
tilt in degrees from upright, optional.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from lather.core.brush.stroke import PenSample
from lather.errors import UsageError
from lather.files.atomic import replacing


def read_recording(path: Path) -> list[list[PenSample]]:
    """The strokes of a pen recording: samples from pen-down to the last before pen-up."""
    try:
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(
            f"'{path.name}' was not played", str(error), "choose a pen recording"
        ) from error
    strokes: list[list[PenSample]] = [[]]
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        try:
            sample = _sample(json.loads(line))
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            raise UsageError(
                f"'{path.name}' was not played",
                f"line {number} is not a reading of the pen ({error})",
                'write {"t": ..., "x": ..., "y": ..., "pressure": ...}',
            ) from error
        if sample.pressure > 0:
            strokes[-1].append(sample)
        elif strokes[-1]:
            strokes.append([])
    return [stroke for stroke in strokes if stroke]


def write_recording(path: Path, strokes: Iterable[Iterable[PenSample]]) -> None:
    """The inverse of `read_recording`."""
    lines = []
    for stroke in strokes:
        last = None
        for last in stroke:
            lines.append(_line(last, last.pressure))
        if last is not None:
            lines.append(_line(last, 0.0))
    with replacing(path) as temporary:
        temporary.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _sample(entry: dict[str, Any]) -> PenSample:
    tilt_x_deg, tilt_y_deg = entry.get("tilt", (0.0, 0.0))
    return PenSample(
        float(entry["t"]),
        float(entry["x"]),
        float(entry["y"]),
        min(max(float(entry["pressure"]), 0.0), 1.0),
        float(tilt_x_deg),
        float(tilt_y_deg),
    )


def _line(sample: PenSample, pressure: float) -> str:
    entry: dict[str, Any] = {
        "t": round(sample.time_s, 4),
        "x": round(sample.x, 2),
        "y": round(sample.y, 2),
        "pressure": round(pressure, 3),
    }
    if sample.tilt_x_deg or sample.tilt_y_deg:
        entry["tilt"] = [round(sample.tilt_x_deg, 1), round(sample.tilt_y_deg, 1)]
    return json.dumps(entry)

