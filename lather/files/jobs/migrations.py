"""Job descriptions of earlier versions, brought up to date one version at a time."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from typing import Any

VERSION = 6


def migrated(description: dict[str, Any]) -> dict[str, Any]:
    """The description as the present version would have written it."""
    version = description["version"]
    while version < VERSION:
        description = _STEPS[version](description)
        version = description["version"] = version + 1
    return description


def _to_2(description: dict[str, Any]) -> dict[str, Any]:
    """Version 1 did not name the state it held, and always held the photo.

    The name is made from the content, so that opening the file twice gives the same one.
    """
    text = json.dumps(description, sort_keys=True).encode()
    return {**description, "revision": hashlib.sha256(text).hexdigest()[:32]}


def _to_3(description: dict[str, Any]) -> dict[str, Any]:
    """Version 2 kept all strokes of a layer in one member, the pen's readings among them."""
    return {**description, "layers": [_strokes_in_parts(e) for e in description["layers"]]}


def _strokes_in_parts(layer: dict[str, Any]) -> dict[str, Any]:
    layer = dict(layer)
    if "strokes" in layer:
        layer["strokes"] = [[layer["strokes"], None]]
    if layer["kind"] == "group":
        layer["layers"] = [_strokes_in_parts(inner) for inner in layer["layers"]]
    return layer


def _to_4(description: dict[str, Any]) -> dict[str, Any]:
    """Version 3 knew one plane of a layer, its pixels, and did not name it."""
    return {**description, "layers": [with_named_planes(e) for e in description["layers"]]}


def with_named_planes(layer: Any) -> Any:
    """The same for a layer in a journal up to version 3, where one that stayed is its id alone."""
    if not isinstance(layer, dict):
        return layer
    if layer["kind"] == "pixels" and "planes" not in layer:
        plane = {name: layer[name] for name in _PLANE_FIELDS if name in layer}
        layer = {name: value for name, value in layer.items() if name not in _PLANE_FIELDS}
        return {**layer, "planes": {"pixels": {"fill": 0, **plane}}}
    if "layers" in layer:
        return {**layer, "layers": [with_named_planes(inner) for inner in layer["layers"]]}
    return layer


def _to_5(description: dict[str, Any]) -> dict[str, Any]:
    """Version 4 knew no limits of layers; it would show them everywhere."""
    return description


def _to_6(description: dict[str, Any]) -> dict[str, Any]:
    """Version 5 kept no operations: what was done is one that cannot be done again
    (`with_what_was_there`), which is seen when the layers are read."""
    return description


_PLANE_FIELDS = ("tiles", "small")
_STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _to_2, 2: _to_3, 3: _to_4, 4: _to_5, 5: _to_6,
}  # fmt: skip
