"""The parts of a portrait that are told apart."""

from __future__ import annotations

from lather.core.open_enum import OpenEnum


class Region(OpenEnum):
    """A part of the portrait. Values as in files and on the command line."""

    SKIN = "skin"
    LIPS = "lips"
    EYE_WHITE = "eye white"
    IRIS = "iris"
    BROWS = "brows and lashes"
    TEETH = "teeth"
    HAIR = "hair"
    BACKGROUND = "background"
    CLOTHING = "clothing"
