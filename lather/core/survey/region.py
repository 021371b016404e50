"""The parts of a portrait that are told apart."""

from __future__ import annotations

from lather.core.open_enum import OpenEnum


class Region(OpenEnum):
    """A region of the portrait: each pixel is shared out among them. Values as in files."""

    SKIN = "skin"
    HAIR = "hair"
    LIPS = "lips"
    IRIS = "iris"
    EYE_WHITE = "eye_white"
    BROWS = "brows"  # with lashes
    TEETH = "teeth"
    CLOTHING = "clothing"
    BACKGROUND = "background"
    OTHER = "other"  # hats, glasses, jewellery, the gap of the mouth: left alone
