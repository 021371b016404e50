"""Lather's own retouch by its own check: within the brief in every style, whatever the picture is;
and what a second run still changes."""

from __future__ import annotations

import numpy as np

from bench.changed import CHANGES, Image, portrait, truth
from bench.check_quality import CHECKED
from bench.common import Row, Scale, row
from bench.evenness import flattened, surveyed
from lather.assist.check.check import whole_check
from lather.assist.retouch import RetouchOptions, retouch
from lather.document import edits
from lather.document.agreed.style import Style
from lather.document.layers.layer import Stage
from lather.document.state import JobState

STYLES = (Style.NATURAL, Style.GROOMED)
INFANT = 11
CHANGED = ("little light", "warm light", "light from the side", "noise", "smaller", "turned",
           "dark skin")  # fmt: skip
BOTH = RetouchOptions((Stage.CLEAN, Stage.EVEN))


def measure(scale: Scale) -> list[Row]:
    """own work: the verdict of `retouch` on every portrait and style; what a second run changes"""
    rows: list[Row] = []
    for number in CHECKED[: scale.runs(len(CHECKED))]:
        rgb = portrait(number, scale.portrait)
        rows += _verdicts(f"portrait {number}", rgb, is_infant=number == INFANT)
        rows.append(_second(f"portrait {number}", rgb))
        for name in () if scale.is_small else CHANGED:
            changed, _ = CHANGES[name](rgb, truth(number, scale.portrait))
            rows += _verdicts(f"portrait {number}, {name}", changed, styles=STYLES[:1])
    return rows


def _verdicts(
    name: str, rgb: Image, *, styles: tuple[Style, ...] = STYLES, is_infant: bool = False
) -> list[Row]:
    state, rows = surveyed(rgb), []
    for style in (*styles, Style.INFANT) if is_infant else styles:
        after, _ = retouch(edits.set_style(state, style), BOTH)
        found = whole_check(after)
        worst = found.worst.row.id if found.worst is not None else ""
        rows.append(row(f"{name}, {style.value}: of the limit, most ({worst})", found.share, "x",
                        target="<= 1", ok=found.share <= 1))  # fmt: skip
    return rows


def _second(name: str, rgb: Image) -> Row:
    """What evening the evened job changes, of what evening the photo did."""
    once = _evened(surveyed(rgb))
    first = np.abs(flattened(once) - rgb).mean()
    again = np.abs(flattened(_evened(once)) - flattened(once)).mean()
    share = float(again / max(float(first), 1e-9))
    return row(f"{name}: evened twice, of the first", share, "x", target="<= 0.1", ok=share <= 0.1)


def _evened(state: JobState) -> JobState:
    return retouch(state, RetouchOptions((Stage.EVEN,), as_a_whole=False))[0]
