"""The face map: this person's face as outlines of its parts, and the figures they are shaded by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.assist.changed_outline import Outline, outlines_of
from lather.assist.check.check import Checked
from lather.assist.even.scores import SCORED, PartScore, Score, Scores, where
from lather.core.arrays import Plane
from lather.core.check.limits import Limits
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document.people import people_of
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.render.ground import photo_ground
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


@dataclass(frozen=True)
class Shade:
    """How a part of the map is drawn.

    Attributes
    ----------
    share : 0-1, how light; what there is most of, or what is gone of what was there.
    text : the figure, short.
    told : the same with its name and limit, for who hovers over it.
    """

    share: float
    text: str
    told: str
    is_beyond: bool = False


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


def shades_of_scores(scores: Scores, figure: Figure) -> dict[Part, Shade]:
    """A figure of every part, more of it lighter, against the most of all parts at the start."""
    most = max(
        (max(figure.value(s, s.start), figure.value(s, s.now)) for s in scores.parts.values()),
        default=0.0,
    )
    return {
        part: Shade(
            _lost(figure.value(score, score.now)) if figure.kept
            else figure.value(score, score.now) / max(most, 1e-6),
            _short(figure.value(score, score.now), figure.unit),
            _told(scores, figure, part, score),
            figure.is_beyond(figure.value(score, score.now), scores.limits),
        )
        for part, score in scores.parts.items()
    }


def shades_of_row(checked: Checked) -> dict[Part, Shade]:
    """A measure of the check by part: what is near or beyond its limit is lightest."""
    found = {}
    for part, value in checked.reading.by_part.items():
        share = checked.bound.share(value)
        limit = checked.bound.near(value)
        told = f"{where(part).capitalize()}: {checked.row.title.lower()} {checked.row.text(value)}"
        if limit is not None:
            told += f"\nThe limit: {checked.row.text(limit)}, {share:.0%} of the way"
        found[part] = Shade(share, _short(value, checked.row.unit), f"{told}\nClick to go there.",
                            share > 1)  # fmt: skip
    return found


def _told(scores: Scores, figure: Figure, part: Part, score: PartScore) -> str:
    """A part's figure at the start and now, and the style's limit."""
    now, start = (figure.text(figure.value(score, at)) for at in (score.now, score.start))
    lines = [f"{where(part).capitalize()}: {figure.title.lower()} {now}"]
    most = figure.limit(scores.limits)
    if most is None:
        lines[0] += f", at the start {start}"
    else:
        lines.append(f"The limit: at {'least' if figure.kept else 'most'} {figure.text(most)}")
    lines += [text[:1].upper() + text[1:] + "." for text in score.beyond(scores.limits)]
    return "\n".join((*lines, "Click to go there."))


def _short(value: float, unit: str) -> str:
    return f"{value:.0%}" if unit == "%" else f"{value:.1f}"


def _lost(kept: float) -> float:
    """What is lost is light."""
    return min(1.0, 4 * (1 - min(1.0, kept)))


def part_outlines(state: JobState, person: int) -> dict[Part, tuple[Outline, ...]]:
    """Outlines of the parts of a person's skin, in pixels of the photo.

    Those of the last state are kept: a survey works them out before anybody draws them.
    """
    if not state.regions.masks or not state.findings.faces:
        return {}
    about = state.regions, state.findings.faces, person
    return _OUTLINES.of(about, lambda: _found_outlines(state, person))


_OUTLINES: Last[dict[Part, tuple[Outline, ...]]] = Last(n_kept=4)


def _found_outlines(state: JobState, person: int) -> dict[Part, tuple[Outline, ...]]:
    import cv2

    scale = 1 / state.regions.scale
    mine, outlines = _is_of(state, person), {}
    for part, plane in part_planes(photo_ground(state)).items():
        if part not in SCORED:
            continue
        soft = cv2.GaussianBlur(plane * mine, (0, 0), SMOOTH_PX)
        found = outlines_of((soft > SOLID).astype(np.uint8), scale, LEAST_PX)
        if found:
            outlines[part] = found
    return outlines


def _is_of(state: JobState, person: int) -> Plane:
    """(h, w) 0 or 1 on the regions' reduced picture: what is nearest to a person's face."""
    size = state.regions.size(state.photo.rect)
    nearest = people_of(state.findings.faces, size.width, size.height, 1 / state.regions.scale)
    return np.asarray(nearest == person, dtype=np.float32)


def feature_outlines(state: JobState, person: int) -> tuple[Outline, ...]:
    """Lips, eyes, brows and beard of a person, in pixels of the photo."""
    from lather.core.survey.faces.mesh_fit import fitted_points
    from lather.core.survey.faces.mesh_points import BROWS, EYES, LIPS_INNER, LIPS_OUTER

    mesh = fitted_points(state.findings.faces[person])
    features = tuple(
        tuple((float(mesh[n][0]), float(mesh[n][1])) for n in ring)
        for ring in (LIPS_OUTER, LIPS_INNER, *EYES, *BROWS)
    )
    return (*features, *_beard_outlines(state, person))


def _beard_outlines(state: JobState, person: int) -> tuple[Outline, ...]:
    import cv2

    if Region.BEARD not in state.regions.masks:
        return ()
    size = state.regions.size(state.photo.rect)
    beard = read_plane(state.regions.masks[Region.BEARD], size) * _is_of(state, person)
    soft = cv2.GaussianBlur(beard, (0, 0), SMOOTH_PX)
    return outlines_of((soft > SOLID).astype(np.uint8), 1 / state.regions.scale, LEAST_PX)


def map_rect(state: JobState, person: int) -> Rect:
    """What the map shows: a person's face with neck and shoulders."""
    face = state.findings.faces[person]
    x, y = face.at(0, 0.6)
    reach = 2.0 * face.pupil_distance_px
    return Rect.around(x, y + 0.1 * reach, reach)


def part_rect(state: JobState, part: Part, person: int) -> Rect | None:
    """Where a person's part lies on the photo; None if there is none."""
    places = part_outlines(state, person).get(part, ())
    if not places:
        return None
    xs, ys = zip(*max(places, key=len), strict=True)
    return Rect(int(min(xs)), int(min(ys)), int(max(xs)) + 1, int(max(ys)) + 1)
