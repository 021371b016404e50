"""What limits Even's assistants: findings that are meant one by one, and the area."""

from __future__ import annotations

from lather.assist.even.layers import without_evening
from lather.assist.proposal import Meant
from lather.document.state import JobState
from lather.errors import EditError


def measured_on(state: JobState, meant: Meant) -> JobState | None:
    """What findings are measured on that are meant one by one: the same for all of them, so that it
    is measured once. None for the state itself."""
    return None if meant.ids is None else without_evening(state)


def outside_of_area(what: str) -> EditError:
    """All that was found lies where the tools do not go."""
    return EditError(
        what, "all of it lies outside of the area",
        "clear the area ({key:area.clear}), or outline another one",
    )  # fmt: skip


def left_in_part(n_left: int) -> tuple[str, ...]:
    """What is said of findings of which most lies outside of the area."""
    if not n_left:
        return ()
    one = n_left == 1
    return (f"{n_left} left open: most of {'it lies' if one else 'them lie'} outside of the area",)
