"""How large a job may grow: what its file's readers accept, and so what the job itself allows.

A job that could be saved and not be opened again would be lost.
"""

from __future__ import annotations

from lather.document.layers.layer import Layers
from lather.document.state import JobState
from lather.document.tree import walk
from lather.errors import EditError

MOST_LAYERS = 4000
DEEPEST_GROUPS = 64  # lists of layers inside each other, the outermost counted
MOST_FINDINGS, LARGEST_FINDING_PX, MOST_FACES = 20_000, 20_000.0, 1000
MOST_POINTS = 2000  # of a finding's path


def beyond_bounds(before: JobState, after: JobState) -> str:
    """What is too much in `after`, as far as it differs from `before`; '' if nothing is."""
    if after.layers is not before.layers:
        if sum(1 for _ in walk(after.layers)) > MOST_LAYERS:
            return f"a job holds at most {MOST_LAYERS} layers"
        if _depth(after.layers) > DEEPEST_GROUPS:
            return f"groups lie at most {DEEPEST_GROUPS - 1} deep in each other"
    if after.findings is not before.findings and len(after.findings.items) > MOST_FINDINGS:
        return f"a job holds at most {MOST_FINDINGS} findings"
    return ""


def refuse_beyond_bounds(name: str, before: JobState, after: JobState) -> None:
    """Raise `EditError` for a step that no job file could hold."""
    why = beyond_bounds(before, after)
    if why:
        raise EditError(f"'{name}' was not done", why, "take something out of the job first")


def _depth(layers: Layers) -> int:
    inner = (_depth(layer.children) for layer in layers if layer.children)
    return 1 + max(inner, default=0)
