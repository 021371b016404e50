"""Speed and memory, each figure as a ratio to a reference measured in the same run.

Machines differ and are noisy; ratios differ less. A row says what was reached, what it was
held against, the target, and whether that holds. Nothing here is a test that can fail.
"""

from __future__ import annotations

import gc
import os
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from bench import (
    export,
    grafting,
    keeping,
    memory,
    mend,
    opening,
    quality,
    stalls,
    start,
    stroke,
    surveying,
)

Row = dict[str, object]
Group = Callable[[], list[Row]]

GROUPS: dict[str, Group] = {
    "stroke": stroke.measure,
    "stalls": stalls.measure,
    "mend": mend.measure,
    "survey": surveying.measure,
    "graft": grafting.measure,
    "quality": quality.measure,
    "open": opening.measure,
    "keeping": keeping.measure,
    "export": export.measure,
    "memory": memory.measure,
    "start": start.measure,
}


def measure(names: list[str]) -> list[Row]:
    """The rows of the named groups, in order."""
    from lather.core.kernels import prepare_kernels

    prepare_kernels()
    rows: list[Row] = []
    for name in names:
        rows.extend(GROUPS[name]())
        gc.collect()
    return rows


def table(rows: list[Row]) -> str:
    """The rows as aligned text."""
    lines = [f"{'figure':<44} {'value':>10} {'unit':<4} {'reference':>10} {'ratio':>7} target"]
    for row in rows:
        mark = "" if row["ok"] is None else "  ok" if row["ok"] else "  MISSED"
        lines.append(
            f"{row['name']:<44} {row['value']:>10} {row['unit']:<4} "
            f"{row['reference_value'] or '':>10} {row['ratio'] or '':>7} {row['target']}{mark}"
        )
    return "\n".join(lines)
