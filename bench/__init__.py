"""Speed and memory, each figure as a ratio to a reference measured in the same run.

Machines differ and are noisy; ratios differ less. A row says what was reached, what it was
held against, the target, and whether that holds. Nothing here is a test that can fail.
"""

from __future__ import annotations

import gc
import os
import sys
import traceback
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from bench import (
    cancelling,
    check_quality,
    checking,
    dragging,
    even_speed,
    evenness,
    export,
    grafting,
    keeping,
    larger,
    layers,
    memory,
    mend,
    metamorphic,
    opening,
    own_work,
    quality,
    regions,
    shape_quality,
    shaping,
    stalls,
    start,
    steps,
    stroke,
    surveying,
    waiting,
)
from bench.common import LARGE, SMALL, Row, Scale

Group = Callable[[Scale], list[Row]]

GROUPS: dict[str, Group] = {
    "stroke": stroke.measure,
    "stalls": stalls.measure,
    "cancelling": cancelling.measure,
    "layers": layers.measure,
    "dragging": dragging.measure,
    "larger": larger.measure,
    "mend": mend.measure,
    "survey": surveying.measure,
    "graft": grafting.measure,
    "quality": quality.measure,
    "regions": regions.measure,
    "quality.metamorphic": metamorphic.measure,
    "evenness": evenness.measure,
    "even": even_speed.measure,
    "shape": shaping.measure,
    "quality.shape": shape_quality.measure,
    "check": checking.measure,
    "quality.check": check_quality.measure,
    "quality.own": own_work.measure,
    "open": opening.measure,
    "keeping": keeping.measure,
    "steps": steps.measure,
    "export": export.measure,
    "memory": memory.measure,
    "start": start.measure,
    "waiting": waiting.measure,
}
__all__ = ["GROUPS", "LARGE", "SMALL", "measure", "missed", "table"]


def measure(names: list[str], scale: Scale = LARGE) -> tuple[list[Row], list[str]]:
    """The rows of the named groups, in order, and the names of groups that failed.

    A group that fails is told on stderr and does not take the others with it.
    """
    from lather.core.kernels import prepare_kernels

    prepare_kernels()
    rows: list[Row] = []
    failed = []
    for name in names:
        try:
            rows.extend(GROUPS[name](scale))
        except Exception:  # noqa: BLE001 - whatever it is
            print(f"The group '{name}' failed:", file=sys.stderr)
            traceback.print_exc()
            failed.append(name)
        gc.collect()
    return rows, failed


def missed(rows: list[Row]) -> list[Row]:
    """The rows of which the target does not hold."""
    return [row for row in rows if row.ok is False]


def table(rows: list[Row]) -> str:
    """The rows as aligned text, and after them what was missed."""
    lines = [f"{'figure':<56} {'value':>10} {'unit':<4} {'reference':>10} {'ratio':>7} target"]
    for row in rows:
        mark = "" if row.ok is None else "  ok" if row.ok else "  MISSED"
        held = "" if row.reference_value is None else f"{row.reference_value:.3f}"
        ratio = "" if row.ratio is None else f"{row.ratio:.2f}"
        lines.append(
            f"{row.name:<56} {row.value:>10.3f} {row.unit:<4} {held:>10} {ratio:>7} "
            f"{row.target}{mark}"
        )
    names = [row.name for row in missed(rows)]
    if names:
        lines += ["", f"{len(names)} missed:", *(f"  {name}" for name in names)]
    return "\n".join(lines)
