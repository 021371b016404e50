"""How large a job may grow: what its file's readers accept, and so what the job itself allows.

A job that could be saved and not be opened again would be lost. What a value may be it checks
itself, when it is made, by the same table: `core/bounds.py`.
"""

from __future__ import annotations

from lather.core.bounds import DEEPEST_GROUPS, MOST_LAYERS, MOST_OPERATIONS, MOST_TILES
from lather.document.layers.layer import Layers
from lather.document.state import JobState
from lather.document.tree import walk_held
from lather.errors import EditError


def beyond_bounds(before: JobState, after: JobState) -> str:
    """What is too much in `after`, as far as it differs from `before`; '' if nothing is."""
    if len(before.operations) >= MOST_OPERATIONS:
        return f"a job holds at most {MOST_OPERATIONS:,} steps"
    if after.layers is before.layers:
        return ""
    layers = list(walk_held(after.layers))
    if len(layers) > MOST_LAYERS:
        return f"a job holds at most {MOST_LAYERS} layers"
    if _depth(after.layers) > DEEPEST_GROUPS:
        return f"groups lie at most {DEEPEST_GROUPS - 1} deep in each other"
    if sum(len(tiles.tiles) for layer in layers for tiles in layer.planes.values()) > MOST_TILES:
        return f"all layers together hold at most {MOST_TILES:,} tiles of pixels"
    return ""


def refuse_beyond_bounds(name: str, before: JobState, after: JobState) -> None:
    """Raise `EditError` for a step that no job file could hold."""
    why = beyond_bounds(before, after)
    if why:
        raise EditError(f"'{name}' was not done", why, "take something out of the job first")


def _depth(layers: Layers) -> int:
    inner = (_depth(layer.held) for layer in layers if layer.held)
    return 1 + max(inner, default=0)
