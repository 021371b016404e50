"""What a verb does to a job, written down as the window does it."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from lather.document.operations.call import Call
    from lather.document.state import JobState


def did(state: JobState, name: str, edit: Callable[..., JobState], **arguments: Any) -> JobState:
    """The state with an edit, as one more thing that was done; itself if that changes nothing."""
    from lather.operations.table import call_of

    return done(state, edit(state, **arguments), name, call_of(edit, **arguments))


def done(state: JobState, after: JobState, name: str, call: Call | None) -> JobState:
    """`after`, which a call led to from a state, as one more thing that was done."""
    from lather.document.effect import changes_anything
    from lather.document.operations.operation import Spent
    from lather.document.operations.recording import recorded

    if not changes_anything(state, after):
        return state
    return recorded(state, after, name, call, Spent(at_s=round(time.time(), 1)))
