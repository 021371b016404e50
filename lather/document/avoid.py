"""Places that no texture may come from."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lather.core.arrays import Plane
from lather.core.rect import Rect
from lather.document.findings import Findings, FindingState

if TYPE_CHECKING:
    from lather.core.mend.result import Avoid


def avoided(findings: Findings) -> Avoid | None:
    """Coverage of what is found and not mended yet, or kept; None if there is nothing."""
    unsettled = [f for f in findings.items
                 if not f.kind.is_patch and findings.state(f) is not FindingState.DONE]  # fmt: skip
    if not unsettled:
        return None

    def coverage(rect: Rect) -> Plane:
        out = np.zeros((rect.height, rect.width), dtype=np.float32)
        for finding in unsettled:
            part = finding.rect.intersect(rect)
            if not part.empty:
                inside = part.shifted(-rect.x0, -rect.y0).slices
                out[inside] = np.maximum(out[inside], finding.coverage(part))
        return out

    return coverage
