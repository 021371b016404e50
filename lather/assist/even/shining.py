"""Where the photo shines: one answer for the survey, the assistant, the scores and the check."""

from __future__ import annotations

import operator
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.assist.skin_view import SkinView, roughness, skin_view
from lather.core.arrays import Plane
from lather.core.last import Last
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Region
from lather.core.work import NEVER, CancelToken
from lather.document.agreed.brief import Brief
from lather.document.state import JobState
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage

if TYPE_CHECKING:
    from lather.core.tone.shine import Shine

BEYOND = (Region.BACKGROUND, Region.HAIR, Region.CLOTHING)  # what a person's outline is seen on
LEAST_ABOVE_L = 1.0


def photo_shine(
    state: JobState, cancel: CancelToken = NEVER, surveyed: SkinView | None = None
) -> Shine:
    """The shine of the photo at the size of `skin_view`, whatever was done and decided since.

    `surveyed` is the view of the photo with nothing decided yet, if it is there already.

    Raises
    ------
    EditError : the portrait's regions are not known.
    Cancelled : by the token.
    """
    findings, regions = state.findings, state.regions
    marks = tuple(f for f in findings.items if not f.kind.is_patch and f.kind is not Kind.MARK)
    corrected = tuple((region, regions.masks[region]) for region in Region
                      if region in regions.corrected and region in regions.masks)  # fmt: skip
    about = (state.photo, marks, findings.faces, findings.mm_per_px, regions.scale, corrected)
    return _LAST.of(about, lambda: _found(surveyed or _as_surveyed(state, cancel)))


def _as_surveyed(state: JobState, cancel: CancelToken) -> SkinView:
    findings = replace(state.findings, states={}, done_by={})
    plain = replace(state.as_photographed, findings=findings, brief=Brief())
    return skin_view(plain, cancel, photo=True)


def _found(view: SkinView) -> Shine:
    from lather.core.tone.shine import find_shine  # OpenCV: not for the first window

    ground = photo_ground(view.state)
    view.cancel.check()
    beyond = sum(region_coverage(ground, region, view.rect, view.level) for region in BEYOND)
    return find_shine(view.picture, roughness(view), np.asarray(beyond, dtype=np.float32))


def shine_weight(state: JobState, shape: tuple[int, int], cancel: CancelToken = NEVER) -> Plane:
    """(h, w) 0-1 of that shape, over the whole picture: how far the photo shines."""
    import cv2

    weight = photo_shine(state, cancel).weight
    if weight.shape == shape:
        return weight
    resized = cv2.resize(weight, shape[::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(resized, dtype=np.float32)


def shine_left(shine: Shine, view: SkinView) -> Plane:
    """(h, w) 0-1: how much of the photo's shine a later view has: its weight, times the share of
    the lightness above the skin's own that is left."""
    from lather.core.tone.shine import above_l, own_light

    if not shine.patches:
        return np.zeros_like(shine.weight)
    above = above_l(view.picture.light, own_light(view.picture, shine.covered))
    left = np.clip(above / np.maximum(shine.above, LEAST_ABOVE_L), 0, 1)
    return np.asarray(shine.weight * left, dtype=np.float32)


_LAST: Last[Shine] = Last(operator.eq)
