"""Findings, which lie on the photo, in another space."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lather.core.survey.findings.finding import Finding
from lather.document.findings import Findings
from lather.render.space import Space


def marks_in(items: Sequence[Finding], space: Space) -> tuple[Finding, ...]:
    """Findings where they lie in a space; how far they reach stays."""
    if not space.below or not items:
        return tuple(items)
    places = [place for item in items for place in ((item.x, item.y), *item.path_px)]
    moved = iter(map(tuple, space.from_photo(np.array(places, dtype=np.float64)).tolist()))
    found = []
    for item in items:
        (x, y), path = next(moved), tuple(next(moved) for _ in item.path_px)
        found.append(replace(item, x=x, y=y, path_px=path))
    return tuple(found)


def findings_in(findings: Findings, space: Space) -> Findings:
    """All that was found, where it lies in a space."""
    items = marks_in(findings.items, space)
    return findings if items == findings.items else replace(findings, items=items)
