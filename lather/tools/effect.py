"""A stroke that changed nothing is no step, and says so."""

from __future__ import annotations

from lather.core.rect import Rect
from lather.document.areas import limit_of
from lather.document.effect import changes_anything, changes_more_than_notes
from lather.document.state import JobState
from lather.errors import EditError, UnseenError
from lather.render.effect import shows
from lather.tools.base import Outcome


def refuse_without_effect(state: JobState, outcome: Outcome, painted: Rect) -> None:
    """Raise `EditError` for an outcome that leaves the job, or the picture, as it is.

    `painted` is where the stroke went, full-resolution pixels.
    """
    try:
        after = outcome.apply(state)
    except EditError:
        return  # told when it is made a step
    changes = changes_more_than_notes if outcome.lays else changes_anything
    what = f"'{outcome.name}' is no step"
    if not changes(state, after):
        raise EditError(what, *_why(state, painted))
    if outcome.lays and not shows(state, after):
        raise UnseenError(
            what, "nothing of it shows in the picture",
            "look at what lies above, at the layer's limits, and at its mode",
        )  # fmt: skip


def _why(state: JobState, painted: Rect) -> tuple[str, str]:
    limit = limit_of(state, painted.intersect(state.photo.rect))
    if limit is not None and not (limit.size and limit.any()):
        return "the area ends there", "work inside of it, or clear it ({key:area.clear})"
    return "what lies there is already as it would be", ""
