"""The parts of a portrait that are told apart."""

from __future__ import annotations

from typing import Self

from lather.core.open_enum import OpenEnum

_EARLIER = {"eye white": "eye_white", "brows and lashes": "brows"}  # as older files have them


class Region(OpenEnum):
    """A region of the portrait. Values as in files.

    Each pixel is shared out among all but the beard, which is an area: in stubble a pixel is skin
    and of the beard, in a full one of the beard alone.
    """

    SKIN = "skin"
    HAIR = "hair"
    BEARD = "beard"  # the area in which facial hair grows: it lies over the skin between
    LIPS = "lips"
    IRIS = "iris"
    EYE_WHITE = "eye_white"
    BROWS = "brows"  # with lashes
    TEETH = "teeth"
    CLOTHING = "clothing"
    BACKGROUND = "background"
    OTHER = "other"  # hats, glasses, jewellery, the gap of the mouth: left alone

    @classmethod
    def _missing_(cls, value: object) -> Self | None:
        if isinstance(value, str) and value in _EARLIER:
            return cls(_EARLIER[value])
        return super()._missing_(value)

    @property
    def is_share(self) -> bool:
        """True for what pixels are shared out among."""
        return self is not Region.BEARD

    @property
    def label(self) -> str:
        """For a person to read."""
        return "brows and lashes" if self is Region.BROWS else self.title.replace("_", " ")


class Part(OpenEnum):
    """A part of the skin: where it lies on the person. Left and right are the person's own."""

    FOREHEAD = "forehead"
    CHEEK_LEFT = "cheek_left"
    CHEEK_RIGHT = "cheek_right"
    NOSE = "nose"
    CHIN = "chin"
    UNDER_EYE_LEFT = "under_eye_left"
    UNDER_EYE_RIGHT = "under_eye_right"
    LID_LEFT = "lid_left"  # from the eye up to the brow
    LID_RIGHT = "lid_right"
    UPPER_LIP = "upper_lip"  # the skin between nose and lips
    NECK = "neck"
    EARS = "ears"
    BODY = "body"

    @property
    def label(self) -> str:
        """For a person to read."""
        name, _, side = self.title.rpartition("_")
        if side in ("left", "right"):
            return f"{name.replace('_', ' ')}, {side}"
        return self.title.replace("_", " ")


def region_named(value: str) -> Region | Part:
    """The part of the skin, or else the region, of that value; what is neither is an unknown region
    (ValueError if it is no text, or too long)."""
    part = Part(value)
    return part if part.known else Region(value)


REGIONS_AND_PARTS: tuple[Region | Part, ...] = (*Region, *Part)  # as they are looked through
