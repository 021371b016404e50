"""A job whose area limits what is done: said, since nobody sees it without a window."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lather.cli.text import tell
from lather.errors import EditError

if TYPE_CHECKING:
    from lather.document.state import JobState


def tell_of_area(before: JobState, after: JobState, refused: str) -> None:
    """Say that only the area was worked on.

    Raises
    ------
    EditError : all that is open lies outside of it, so that nothing was done.
    """
    if before.area is None:
        return
    if after.layers is before.layers:
        raise EditError(
            refused, "nothing of what was found lies in the job's area, which limits the work",
            "clear the area in the window, and save the job",
        )  # fmt: skip
    tell(["The job has an area: only what lies in it was worked on, the rest is open."])
