"""What a finding's own measures say about the tool and brush to mend it with."""

from __future__ import annotations

from dataclasses import dataclass

from lather.core.mend.mode import MendMode
from lather.core.survey.finding import Finding, Kind

SMALLEST_SIZE_PX = 5.0  # below it a brush cannot be aimed


@dataclass(frozen=True)
class FindingAdvice:
    """A tool of the tool table with a brush; shares 0-1."""

    tool: str
    size_px: float
    hardness: float
    opacity: float
    mode: MendMode


def advice_for(finding: Finding) -> FindingAdvice | None:
    """How to mend a finding by hand; None for what belongs to the person."""
    if finding.kind.belongs_to_person:
        return None
    if not finding.stands_free:
        # A mend would smear the edge beside it: a few weak copies along it do not.
        size_px = max(SMALLEST_SIZE_PX, round(2 * finding.radius_px))
        return FindingAdvice("copy_from_source", float(size_px), 0.3, 0.15, MendMode.ALL)
    # A red mark ends softly and takes a soft brush; a dark spot or a head has a rim.
    hardness = 0.3 if finding.kind is Kind.RED else 0.5
    size_px = max(SMALLEST_SIZE_PX, round(2 * finding.reach_px))
    return FindingAdvice("mend_spot", float(size_px), hardness, 1.0, MendMode.ALL)
