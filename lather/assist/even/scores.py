"""Scores of the skin, part by part: at the start and now, against the limits of the style."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lather.assist.even.shining import photo_shine, shine_left
from lather.assist.grain_kept import grain_kept, shared_grain
from lather.assist.skin_view import SkinView, skin_view
from lather.assist.texture_planes import TexturePlanes
from lather.core.arrays import Plane
from lather.core.check import skin as check
from lather.core.check.limits import Limits, beyond
from lather.core.survey.regions.region import Part
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.state import JobState
from lather.render.space import in_photo_space

LEAST_CM2 = 0.5  # of a part, with less of it nothing is said
SCORED = (Part.FOREHEAD, Part.CHEEK_LEFT, Part.CHEEK_RIGHT, Part.NOSE, Part.UNDER_EYE_LEFT,
          Part.UNDER_EYE_RIGHT, Part.LID_LEFT, Part.LID_RIGHT, Part.UPPER_LIP, Part.CHIN,
          Part.NECK, Part.EARS, Part.BODY)  # fmt: skip


@dataclass(frozen=True)
class Score:
    """Figures of a part at one time; rms in L*, a*, b*."""

    blotch_l: float
    blotch_a: float
    blotch_b: float
    texture: float
    modelling: float
    shine_cm2: float


@dataclass(frozen=True)
class PartScore:
    """A part of the skin: how it was, how it is, and what is left of it."""

    part: Part
    area_cm2: float
    start: Score
    now: Score
    texture_kept: float
    modelling_kept: float
    colour_shift: float

    def beyond(self, limits: Limits) -> tuple[str, ...]:
        """What went too far, in words."""
        return beyond(limits, where(self.part), self.texture_kept, self.modelling_kept,
                      self.colour_shift)  # fmt: skip


@dataclass(frozen=True)
class Scores:
    """All parts that there is enough of; the limits are those of the brief's style.

    Attributes
    ----------
    parts : everybody's together.
    people : the same of each person, where there are several.
    """

    parts: Mapping[Part, PartScore]
    limits: Limits
    people: tuple[Mapping[Part, PartScore], ...] = ()

    def of(self, person: int) -> Scores:
        """Those of one person."""
        return Scores(self.people[person], self.limits) if person < len(self.people) else self

    def facts(self, part: Part) -> dict[str, Any]:
        """A part's figures as they go into a file."""
        score = self.parts[part]
        entry: dict[str, Any] = {
            name: {key: round(value, 3) for key, value in asdict(figures).items()}
            for name, figures in (("start", score.start), ("now", score.now))
        }
        shares = ("area_cm2", "texture_kept", "modelling_kept", "colour_shift")
        entry.update({name: round(getattr(score, name), 3) for name in shares})
        entry["beyond"] = list(score.beyond(self.limits))
        return entry

    @property
    def said(self) -> tuple[str, ...]:
        return tuple(text for score in self.parts.values() for text in score.beyond(self.limits))


def where(part: Part) -> str:
    """A part as it is said in a sentence: 'left cheek'."""
    name, _, side = part.label.partition(", ")
    return f"{side} {name}".strip().lower()


def skin_scores(
    state: JobState, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> Scores:
    """Measure the photo and what all layers make of it.

    Raises
    ------
    EditError : the regions are not known.
    Cancelled : by the token.
    """
    state = in_photo_space(state)  # the parts lie where the photo has them
    progress(0.0, "measuring the skin")
    start, now = skin_view(state, cancel, photo=True), skin_view(state, cancel)
    progress(0.3, "measuring the texture")
    texture = TexturePlanes(state.as_photographed, state, now.level, cancel)
    progress(0.6, "looking for shine")
    found = photo_shine(state, cancel)
    shine = shine_left(found, start), shine_left(found, now)
    progress(0.8, "measuring light and shade")
    states = state.as_photographed, state
    measured = _Measured((start, now), shine, texture, states, cancel)
    parts = measured.parts()
    n_people = len(state.findings.faces)
    people = tuple(map(measured.parts, range(n_people))) if n_people > 1 else ()
    progress(1.0, "measured")
    return Scores(parts, state.brief.limits, people)


class _Measured:
    """Planes of a view at the start and now, of which each part's figures are means."""

    def __init__(
        self, views: tuple[SkinView, SkinView], shine: tuple[Plane, Plane], texture: TexturePlanes,
        states: tuple[JobState, JobState], cancel: CancelToken,
    ) -> None:
        self._views, self._shine, self._texture, self._cancel = views, shine, texture, cancel
        picture = views[0].picture
        self._glossy = check.glossy(picture, shine[0])
        skin = np.asarray(picture.is_skin * (1 - self._glossy), dtype=np.float32)
        self._light = [check.large_light(view.picture, skin) for view in views]
        cancel.check()
        plain = np.asarray(picture.plain, dtype=np.float32)
        self._local = [picture.mean(plane, plain, check.LOCAL_MM)
                       for plane in (texture.start, texture.product)]  # fmt: skip
        self._grain_kept = grain_kept(*states, picture.plain & (self._glossy <= 0),
                                      views[0].level, cancel)  # fmt: skip
        self._bands = [check.blotches(view.picture) for view in views]

    def parts(self, person: int | None = None) -> dict[Part, PartScore]:
        """Of one person, or of all together."""
        found = {}
        for part in SCORED:
            self._cancel.check()
            score = self._part(part, person)
            if score is not None:
                found[part] = score
        return found

    def _part(self, part: Part, person: int | None) -> PartScore | None:
        """None where there is too little of it."""
        start, now = (view.picture for view in self._views)
        weight = np.asarray(self._views[0].parts[part] * start.plain, dtype=np.float32)
        if person is not None:
            weight *= start.people == person
        area_cm2 = start.mm2(float(weight.sum())) / 100
        if area_cm2 < LEAST_CM2:
            return None
        matt = check.matt(weight, self._glossy)
        grain, was, is_now = self._texture.of(matt)
        left = shared_grain(grain, self._grain_kept)
        figures = [
            Score(
                _rms(bands[0], weight), _rms(bands[1], weight), _rms(bands[2], weight),
                check.texture_energy(square, grain), check.modelling(light, matt),
                start.mm2(float((shine * weight).sum())) / 100,
            )
            for bands, square, light, shine in zip(
                self._bands, (was, is_now), self._light, self._shine, strict=True
            )
        ]
        return PartScore(
            part, area_cm2, figures[0], figures[1],
            check.usual_share(check.shares_left(self._local[1], self._local[0], grain, left), matt),
            check.modelling_kept(self._light[0], self._light[1], matt),
            check.colour_shift(start.rgb, now.rgb, matt),
        )  # fmt: skip


def _rms(band: Plane, weight: Plane) -> float:
    return math.sqrt(float((band**2 * weight).sum()) / float(weight.sum()))

