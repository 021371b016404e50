"""The face map: this person's face as outlines of its parts, and the figures they are shaded by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.assist.changed_outline import Outline, outlines_of
from lather.assist.scores import SCORED, PartScore, Score
from lather.core.check.limits import Limits
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part
from lather.document.state import JobState
from lather.render.ground import ground_of
from lather.render.regions import part_planes

SOLID, LEAST_PX = 0.5, 30.0  # coverage from which a pixel is a part's; px of the reduced picture
SMOOTH_PX = 3.0

@dataclass(frozen=True)
class Figure:
    """What the map is shaded by.

    Attributes
    ----------
    id : the field of a score.
    became : it says what became of a part, and a style has a limit of the same name.
    kept : a share of the start, of which less is worse.
    """

    id: str
    title: str
    unit: str
    became: bool = False
    kept: bool = False

    def value(self, part: PartScore, score: Score) -> float:
        """Of a part at one time, or of what became of it since the start."""
        return float(getattr(part if self.became else score, self.id))

    def limit(self, limits: Limits) -> float | None:
        """Of a style; None where a style has none."""
        return float(getattr(limits, self.id)) if self.became else None

    def text(self, value: float) -> str:
        return f"{value:.0%}" if self.unit == "%" else f"{value:.1f} {self.unit}"

    def is_beyond(self, value: float, limits: Limits) -> bool:
        limit = self.limit(limits)
        if limit is None:
            return False
        return value < limit if self.kept else value > limit


FIGURES = (
    Figure("blotch_a", "Blotches, redness", "a*"),
    Figure("blotch_l", "Blotches, lightness", "L*"),
    Figure("blotch_b", "Blotches, yellow", "b*"),
    Figure("shine_cm2", "Shine", "cm²"),
    Figure("texture", "Texture", "L*"),
    Figure("texture_kept", "Texture kept", "%", became=True, kept=True),
    Figure("modelling", "Modelling", "L*"),
    Figure("modelling_kept", "Modelling kept", "%", became=True, kept=True),
    Figure("colour_shift", "Colour moved", "ΔE", became=True),
)


def part_outlines(state: JobState) -> dict[Part, tuple[Outline, ...]]:
    """Outlines of the parts of the skin, in pixels of the photo; the first face's head first."""
    import cv2

    if not state.regions.masks or not state.findings.faces:
        return {}
    scale = 1 / state.regions.scale
    outlines = {}
    for part, plane in part_planes(ground_of(state)).items():
        if part not in SCORED:
            continue
        soft = cv2.GaussianBlur(plane, (0, 0), SMOOTH_PX)
        found = outlines_of((soft > SOLID).astype(np.uint8), scale, LEAST_PX)
        if found:
            outlines[part] = found
    return outlines


def feature_outlines(state: JobState) -> tuple[Outline, ...]:
    """Lips, eyes and brows of the largest face, in pixels of the photo."""
    from lather.core.survey.faces.mesh_fit import fitted_points
    from lather.core.survey.faces.mesh_points import BROWS, EYES, LIPS_INNER, LIPS_OUTER

    mesh = fitted_points(state.findings.faces[0])
    return tuple(
        tuple((float(mesh[n][0]), float(mesh[n][1])) for n in ring)
        for ring in (LIPS_OUTER, LIPS_INNER, *EYES, *BROWS)
    )


def map_rect(state: JobState) -> Rect:
    """What the map shows: the largest face with its neck and shoulders."""
    face = state.findings.faces[0]
    x, y = face.at(0, 0.6)
    reach = 2.0 * face.pupil_distance_px
    return Rect.around(x, y + 0.1 * reach, reach)


def part_rect(state: JobState, part: Part) -> Rect | None:
    """Where a part lies on the photo; None if there is none."""
    places = part_outlines(state).get(part, ())
    if not places:
        return None
    xs, ys = zip(*max(places, key=len), strict=True)
    return Rect(int(min(xs)), int(min(ys)), int(max(xs)) + 1, int(max(ys)) + 1)
