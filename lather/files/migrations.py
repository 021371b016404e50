"""Job descriptions of earlier versions, brought up to date one version at a time."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from typing import Any

VERSION = 2


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


_STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _to_2}
