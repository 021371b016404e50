"""The split's radius for a portrait: measured on its skin, on the face and on the body."""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.survey.regions.region import Part, Region
from lather.core.tone.radius import Radius, proposed_radius
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.errors import ScaleError
from lather.render.compositor import render_photo
from lather.render.ground import photo_ground
from lather.render.regions import part_planes

DIFFERS = 1.15  # times: from there on the body's radius is told apart


def split_radius(state: JobState, *, of_body: bool = False) -> Radius:
    """The radius for a surveyed job's skin.

    Parameters
    ----------
    of_body : of the skin away from the head, instead of all of it.

    Raises
    ------
    ScaleError : the portrait is not surveyed, or shows too little skin.
    """
    mm_per_px = state.findings.mm_per_px
    skin = state.regions.masks.get(Region.SKIN)
    if mm_per_px is None or skin is None:
        raise ScaleError(
            "No radius was proposed", "the portrait was not surveyed, so nothing says where its "
            "skin is and how large", "survey it first, or set the radius yourself",
        )  # fmt: skip
    size = state.regions.size(state.photo.rect)
    plane = part_planes(photo_ground(state))[Part.BODY] if of_body else read_plane(skin, size)
    picture = state.photo.rect
    full = cv2.resize(np.asarray(plane, dtype=np.float32), (picture.width, picture.height))
    rgb = render_photo(state.photo, picture)[..., :3]
    found = proposed_radius(np.ascontiguousarray(rgb), full, mm_per_px)
    if found is None:
        raise ScaleError(
            "No radius was proposed", "too little skin is seen", "set the radius yourself"
        )
    return found


def body_radius_text(state: JobState, radius: Radius) -> str:
    """What to say of the body's skin where its own radius is another one; else nothing."""
    try:
        body = split_radius(state, of_body=True)
    except ScaleError:
        return ""
    if max(body.sigma_px, radius.sigma_px) < DIFFERS * min(body.sigma_px, radius.sigma_px):
        return ""
    mm = body.sigma_px * (state.findings.mm_per_px or 0)
    return f"The body's skin alone needs {body.sigma_px:g} px ({mm:.2f} mm): a split of its own."
