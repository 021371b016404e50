"""What a finding's own measures say about the tool and brush to mend it with."""

from __future__ import annotations

from dataclasses import dataclass

from lather.core.mend.mode import MendMode
from lather.core.survey.findings.finding import Finding, Kind

SMALLEST_SIZE_PX = 5.0  # below it a brush cannot be aimed
SOFTEST, HARDEST = 0.2, 0.7


@dataclass(frozen=True)
class FindingAdvice:
    """A tool of the tool table with a brush; shares 0-1."""

    tool: str
    size_px: float
    hardness: float
    opacity: float
    mode: MendMode


def advice_for(finding: Finding) -> FindingAdvice | None:
    """How to mend a finding by hand; None for what belongs to the person or is not understood."""
    kind = finding.kind
    if kind.belongs_to_person or not kind.known:
        return None
    if kind.is_patch:  # a colour picked beside it, with a brush of a third of its width
        size_px = max(SMALLEST_SIZE_PX, round(2 * finding.radius_px / 3))
        shines = kind is Kind.SHINE
        mode, opacity = (MendMode.TAME_BRIGHTS, 0.25) if shines else (MendMode.ALL, 0.15)
        return FindingAdvice("paint_colour", float(size_px), 0.0, opacity, mode)
    if not finding.stands_free:
        # A mend would smear the edge beside it: a few weak copies along it do not.
        size_px = max(SMALLEST_SIZE_PX, round(2 * finding.radius_px))
        return FindingAdvice("copy_from_source", float(size_px), 0.3, 0.15, MendMode.ALL)
    size_px = max(SMALLEST_SIZE_PX, round(2 * finding.reach_px))
    return FindingAdvice("mend_spot", float(size_px), _hardness(finding), 1.0, _mode(finding))


def _hardness(finding: Finding) -> float:
    """As hard as the mark's own rim is sharp: a red mark melts into the skin, a head does not."""
    if finding.edge_px <= 0:
        return 0.3 if finding.kind is Kind.RED else 0.5
    soft = finding.edge_px / max(2 * finding.radius_px, 1e-6)
    return round(min(max(1 - soft, SOFTEST), HARDEST), 1)


def _mode(finding: Finding) -> MendMode:
    """Hairs, dents, flakes and milk spots differ one way only: what lies beside them stays."""
    if finding.kind in (Kind.FLAKE, Kind.MILK_SPOT):
        return MendMode.TAME_BRIGHTS
    if finding.kind in (Kind.CREASE, Kind.SKIN_HAIR):
        return MendMode.LIFT_DARKS if finding.contrast_l < 0 else MendMode.TAME_BRIGHTS
    return MendMode.ALL
